"""Fat Signal: DI and miked amp together, re-amped later, judged at the source."""

import os

__version__ = "0.1.0"

# Before numpy is loaded anywhere: its threads for matrices wait in a loop that takes a core each, beside sound that
# keeps real time. Nothing here multiplies matrices that are large enough to gain by them.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
