"""Names for types of arrays, for signatures. Docstrings give shapes."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
import numpy.typing as npt

#: Numbers in double precision.
Floats: TypeAlias = npt.NDArray[np.float64]

#: Whole numbers: indices, labels, counts.
Integers: TypeAlias = npt.NDArray[np.integer]

#: Truth values.
Flags: TypeAlias = npt.NDArray[np.bool_]

#: Some of the cases of a batch.
Cases: TypeAlias = slice | Integers
