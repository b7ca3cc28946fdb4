"""A delay line that is read between its samples: what chorus, flanger and worn echoes are made of.

References
----------
.. [1] T. I. Laakso, V. Välimäki, M. Karjalainen, U. K. Laine, "Splitting the unit delay", IEEE Signal Processing
   Magazine 13(1), 1996: Lagrange interpolation of third order.
"""

from fatsignal.core.kernels import kernel

# Between four samples of which two lie ahead: less delay than this cannot be read.
LEAST_FRAMES = 2.0


# What is less than this, in volts, is nothing: far below what 24 bits hold, and far above where numbers grow slow.
_NOTHING_V = 1e-12


@kernel
def or_nothing(x):
    """A value, or exactly nothing where it is next to nothing: what goes round dies away, and ends."""
    return 0.0 if -_NOTHING_V < x < _NOTHING_V else x


@kernel
def read_line(line, write, delay):
    """What was written `delay` frames, at least 2, before place `write` of a ring: a cubic through four samples."""
    size = line.size
    whole = int(delay)
    part = delay - whole
    first = write - whole
    newer, here = line[(first + 1) % size], line[first % size]
    older, oldest = line[(first - 1) % size], line[(first - 2) % size]
    a = -part * (part - 1.0) * (part - 2.0) / 6.0
    b = (part + 1.0) * (part - 1.0) * (part - 2.0) / 2.0
    c = -(part + 1.0) * part * (part - 2.0) / 2.0
    d = (part + 1.0) * part * (part - 1.0) / 6.0
    return a * newer + b * here + c * older + d * oldest
