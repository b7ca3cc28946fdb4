"""Set-up and start, with nothing but Python's own library: this runs before anything is installed."""
