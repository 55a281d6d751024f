"""The contract of a distribution of extremes."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import ClassVar, NamedTuple

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.methods import Method
from tarnwater.rain.frequency.moments import LMoments
from tarnwater.rain.frequency.plotting import CUNNANE, PlottingPosition
from tarnwater.rain.frequency.simplex import FIRST, least_of_each

HOSKING = "Hosking and Wallis (1997), Regional Frequency Analysis, Appendix"

#: Share of a bound's range within which a fitted parameter is said to be at the bound.
AT_BOUND = 1e-3


class Likely(NamedTuple):
    """Parameters of greatest likelihood, and the names of those that came to a bound of the search."""

    parameters: Floats
    at_bound: tuple[str, ...]


class Distribution(Method):
    """A distribution of annual maxima (or peaks over a threshold).

    Parameters are arrays (..., p) in the order of ``symbols``; values are in mm or m3/s. A distribution ``of_logs`` is
    fitted to the natural logarithms of the sample.
    """

    kind: ClassVar[str] = "distribution"
    symbols: ClassVar[tuple[str, ...]]
    #: Bounds within which its last parameter is searched for; none where it has no shape.
    bounds: ClassVar[tuple[float, float] | None] = None
    of_logs: ClassVar[bool] = False
    position: ClassVar[PlottingPosition] = CUNNANE

    @abstractmethod
    def by_l_moments(self, moments: LMoments) -> Floats:
        """Parameters (..., p) with the L-moments of samples; of their logarithms where it is ``of_logs``."""

    @abstractmethod
    def quantile(self, parameters: Floats, probability: Floats) -> Floats:
        """Values that are not exceeded with a probability, of the shapes broadcast."""

    @abstractmethod
    def probability(self, parameters: Floats, values: Floats) -> Floats:
        """Probability that a value is not exceeded, of the shapes broadcast."""

    @abstractmethod
    def log_density(self, parameters: Floats, values: Floats) -> Floats:
        """Natural logarithm of the density at values; minus infinity outside its range."""

    def quantile_at(self, parameters: Floats, reduced: Floats) -> Floats:
        """Values at Gumbel reduced variates y, that is at the probability exp(-exp(-y))."""
        return self.quantile(parameters, np.exp(-np.exp(-reduced)))

    def density(self, parameters: Floats, values: Floats) -> Floats:
        """Density at values."""
        return np.exp(self.log_density(parameters, values))

    def scaled(self, parameters: Floats, factor: float) -> Floats:
        """Parameters of values times a factor: the first two, place and scale, are in the unit of the values."""
        found = np.array(parameters, float)
        if self.of_logs:
            found[..., 0] += np.log(factor)
        else:
            found[..., :2] *= factor
        return found

    def by_product_moments(self, sample: Floats) -> Floats | None:
        """Parameters by the product moments of the logarithms of a sample (n,); None where that is not offered."""
        return None

    def most_likely(self, sample: Floats, start: Floats) -> Likely:
        """Parameters of greatest likelihood for a sample (n,), searched for from a start (p,).

        Place, logarithm of the scale and shape are moved by the simplex of Nelder and Mead (1965); the shape stays
        within ``bounds``.
        """
        from scipy.optimize import minimize

        held = self._held(np.sort(sample), start)
        scale = abs(start[1])
        # a place that is fixed is no direction of the search, in which its simplex could never shrink
        fixed = np.zeros(0 if self._place_of(np.sort(sample)[None, :]) is None else 1)

        def parameters(free: Floats) -> Floats:
            free = np.concatenate([fixed, free])
            moved = np.array([start[0] + scale * free[0], scale * np.exp(free[1]), *free[2:]])
            if self.bounds is not None:
                moved[2] = np.clip(moved[2], *self.bounds)
            return held(moved)

        def misfit(free: Floats) -> float:
            found = -float(np.sum(self.log_density(parameters(free), sample)))
            return found if np.isfinite(found) else 1e300

        # the L-moments may ask for a bound that cuts values of the sample off; less shape moves it beyond them
        begins = [np.array([0.0, 0.0, *(share * start[2:])])[len(fixed) :] for share in (1.0, 0.75, 0.5, 0.25, 0.0)]
        begin = next((free for free in begins if misfit(free) < 1e300), begins[-1])
        options = {"xatol": 1e-10, "fatol": 1e-11, "maxiter": 20_000, "maxfev": 40_000}
        best = begin
        # a second search from the first end leaves a simplex that has collapsed
        for _ in range(2):
            # steps of a tenth from the start: those that SciPy takes from zero are too short to leave it
            simplex = np.vstack([best, best + FIRST * np.eye(len(best))])
            best = minimize(misfit, best, method="Nelder-Mead", options={**options, "initial_simplex": simplex}).x
        found = parameters(best)
        if self.bounds is None:
            return Likely(found, ())
        low, high = self.bounds
        near = min(found[2] - low, high - found[2]) <= AT_BOUND * (high - low)
        return Likely(found, (self.symbols[2],) if near else ())

    def most_likely_of_many(
        self, samples: Floats, starts: Floats, between: Callable[[], None] = lambda: None
    ) -> Floats:
        """Parameters (m, p) of greatest likelihood for samples (m, n) in rising order, from starts (m, p).

        The search is that of `most_likely`, for all samples together.
        """
        scale = np.abs(starts[:, 1])
        least = self._place_of(samples)
        fixed = 0 if least is None else 1

        def parameters(free: Floats, which: Integers) -> Floats:
            free = np.concatenate([np.zeros((len(free), fixed)), free], axis=1)
            moved = free.copy()
            moved[:, 0] = starts[which, 0] + scale[which] * free[:, 0]
            moved[:, 1] = scale[which] * np.exp(np.clip(free[:, 1], -20, 20))
            if self.bounds is not None:
                moved[:, 2] = np.clip(free[:, 2], *self.bounds)
            if least is not None:
                moved[:, 0] = least[which]
            return moved

        def misfit(free: Floats, which: Integers) -> Floats:
            found = -self.log_density(parameters(free, which)[:, None, :], samples[which]).sum(axis=1)
            return np.where(np.isfinite(found), found, 1e300)

        begins = np.zeros_like(starts[:, fixed:])
        shape = slice(2 - fixed, None)
        begins[:, shape] = starts[:, 2:]
        whole = np.arange(len(samples))
        for share in (0.75, 0.5, 0.25, 0.0):
            cut = misfit(begins, whole) >= 1e300
            begins[cut, shape] = share * starts[cut, 2:]
        return parameters(least_of_each(misfit, begins, between), whole)

    def _place_of(self, samples: Floats) -> Floats | None:
        """Places (m,) that samples (m, n) in rising order fix; None where the place is searched for."""
        return None

    def _held(self, ordered: Floats, start: Floats) -> Callable[[Floats], Floats]:
        """What keeps parameters where the sample (n,) is possible: nothing by default."""
        return lambda parameters: parameters
