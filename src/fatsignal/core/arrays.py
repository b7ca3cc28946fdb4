"""What arrays are made of, where a name alone says it."""

import numpy as np
from numpy.typing import NDArray

Real = NDArray[np.float64]
Complex = NDArray[np.complex128]
