"""Measurements as ratios. The package is imported first, as in the application: it settles how numpy computes."""

import fatsignal  # noqa: F401
