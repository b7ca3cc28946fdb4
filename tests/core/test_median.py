import numpy as np
import pytest

from fatsignal.core.median import median


@pytest.mark.parametrize("count", [1, 2, 3, 8, 9])
def test_the_median_is_numpys(count):
    values = np.random.default_rng(count).normal(size=count)
    assert median(values) == np.median(values)
    assert median(list(values)) == np.median(values)
