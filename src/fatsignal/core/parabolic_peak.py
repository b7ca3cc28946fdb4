"""The place of a peak between samples."""

from fatsignal.core.compiled import njit


@njit(cache=True, nogil=True)
def vertex(values, at):
    """Samples from the peak at index `at` to the top of the parabola through it and its neighbours; 0 without one."""
    left, middle, right = values[at - 1], values[at], values[at + 1]
    bend = left - 2 * middle + right
    return 0.5 * (left - right) / bend if bend < 0 else 0.0
