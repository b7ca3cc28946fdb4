"""Imported once where processes of rigs come from (`apart.py`): each of them begins with everything loaded."""

from fatsignal.rig.jit_warmup import warm

warm()
