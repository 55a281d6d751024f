"""From excess rain to flow.

A transform is one module with a frozen model and the method
``unit_hydrograph(area, lag, step) -> UnitHydrograph``; `convolve` does the rest for all of them.

To add one: write ``<name>.py`` beside these and add it to `Transform`.
"""

from tarnwater.runoff.transforms.convolution import DirectRunoff, convolve
from tarnwater.runoff.transforms.nrcs import NrcsUnitHydrograph
from tarnwater.runoff.transforms.unit_hydrograph import UnitHydrograph

# one method so far; a second makes it a union tagged by `method`
Transform = NrcsUnitHydrograph

__all__ = ["DirectRunoff", "NrcsUnitHydrograph", "Transform", "UnitHydrograph", "convolve"]
