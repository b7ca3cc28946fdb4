"""A delay line that is read between its samples: what chorus, flanger and worn echoes are made of.

References
----------
.. [1] T. I. Laakso, V. Välimäki, M. Karjalainen, U. K. Laine, "Splitting the unit delay", IEEE Signal Processing
   Magazine 13(1), 1996: Lagrange interpolation, here of fifth order.
"""

from fatsignal.core.kernels import kernel

# Between six samples of which three lie ahead: less delay than this cannot be read.
LEAST_FRAMES = 3.0


# What is less than this, in volts, is nothing: far below what 24 bits hold, and far above where numbers grow slow.
_NOTHING_V = 1e-12


@kernel
def or_nothing(x):
    """A value, or exactly nothing where it is next to nothing: what goes round dies away, and ends."""
    return 0.0 if -_NOTHING_V < x < _NOTHING_V else x


@kernel
def read_line(line, write, delay):
    """What was written `delay` frames, at least 3, before place `write` of a ring: a quintic through six samples.

    A cubic would lose half a decibel of what moves at 12 kHz, at a rate of 44.1 kHz.
    """
    size = line.size
    whole = int(delay)
    p = delay - whole
    first = write - whole
    # What lies 2 and 1 frames later, here, and 1, 2 and 3 earlier.
    a, b, c, d, e = p + 2.0, p + 1.0, p - 1.0, p - 2.0, p - 3.0
    return (
        -b * p * c * d * e / 120.0 * line[(first + 2) % size]
        + a * p * c * d * e / 24.0 * line[(first + 1) % size]
        - a * b * c * d * e / 12.0 * line[first % size]
        + a * b * p * d * e / 12.0 * line[(first - 1) % size]
        - a * b * p * c * e / 24.0 * line[(first - 2) % size]
        + a * b * p * c * d / 120.0 * line[(first - 3) % size]
    )
