"""Fat Signal: DI and miked amp together, re-amped later, judged at the source."""

__version__ = "0.1.0"
