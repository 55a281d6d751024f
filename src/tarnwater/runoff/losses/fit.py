"""One loss fitted to another over a set of storms, with what misfits in each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused, TarnwaterError
from tarnwater.parameters import Model, Setting
from tarnwater.runoff.losses.loss import Loss

#: Change of a parameter that counts as one, as a share.
CHANGED = 1e-6

#: Starts of the search along each parameter, as shares of its range; the small ones count for most losses.
STARTS = (0.01, 0.06, 0.25, 0.6)

#: Shares of its range below which a parameter is at its least: the search comes as near as this, and no nearer.
NOUGHT = 1e-5

#: Searches from the best of the starts.
SEARCHES = 3


class FittedStorm(Model):
    """One storm of a fit: depth and duration of its rain (mm, s), runoff (mm) and peak (m3/s) of both losses."""

    name: str
    depth: float
    duration: float
    runoff: float
    fitted_runoff: float
    peak: float
    fitted_peak: float

    @property
    def misfit(self) -> float:
        """What the fitted runoff is above the other, as a share of that; 0 where neither runs off."""
        return _above(self.fitted_runoff, self.runoff)

    @property
    def peak_misfit(self) -> float:
        """What the fitted peak is above the other, as a share of that."""
        return _above(self.fitted_peak, self.peak)


def _above(fitted: float, known: float) -> float:
    if known > 0:
        return fitted / known - 1
    return 0.0 if fitted == 0 else float("inf")


class LossFit(Model):
    """A loss that was fitted to another: its parameters as fitted, and the storms of the fit."""

    of: str
    parameters: tuple[tuple[str, float], ...]
    storms: tuple[FittedStorm, ...]

    @property
    def depths(self) -> tuple[float, float]:
        """Least and greatest depth of rain of the fit, mm."""
        found = [storm.depth for storm in self.storms]
        return min(found), max(found)

    @property
    def durations(self) -> tuple[float, float]:
        """Least and greatest duration of rain of the fit, s."""
        found = [storm.duration for storm in self.storms]
        return min(found), max(found)

    @property
    def worst(self) -> FittedStorm:
        """The storm whose runoff or peak is off most, each over its mean in the storms."""
        runoff = sum(one.runoff for one in self.storms) or 1.0
        peak = sum(one.peak for one in self.storms) or 1.0

        def off(one: FittedStorm) -> float:
            return max(abs(one.fitted_runoff - one.runoff) / runoff, abs(one.fitted_peak - one.peak) / peak)

        return max(self.storms, key=off)

    def holds_for(self, loss: Loss) -> bool:
        """Whether a loss still has the parameters that were fitted."""
        there = dict(loss.quantities())
        for name, fitted in self.parameters:
            held = getattr(loss, name) if name in there else None
            value = held.value if isinstance(held, Setting) else held
            if value is None or abs(value - fitted) > CHANGED * max(abs(fitted), 1e-9):
                return False
        return True


@dataclass(frozen=True, eq=False)
class StormsOfFit:
    """The storms over which a loss is fitted.

    Parameters
    ----------
    names : one for each storm.
    rain : (storm, step) mm, and ``step`` s of it.
    durations : (storm,) s, of the rain.
    peak : from excess (storm, step) mm to the peaks of direct runoff (storm,) m3/s.
    """

    names: Sequence[str]
    rain: Floats
    step: float
    durations: Floats
    peak: Callable[[Floats], Floats]

    def answer(self, loss: Loss) -> tuple[Floats, Floats]:
        """Runoff (storm,) mm and peak (storm,) m3/s with a loss."""
        excess = loss.respond(self.rain, self.step).excess
        return excess.sum(axis=1), self.peak(excess)


def fit_loss(target: Loss, other: Loss, storms: StormsOfFit) -> tuple[Loss, LossFit]:
    """A loss fitted to another over storms, and how well it fits each.

    The sum of the squares of the differences of runoff and peak, each over their mean with the other loss, is least;
    runoff and peak count alike. The settings that the loss says are varied in their ranges, from several starts.
    Raises `EditRefused` for a loss without such settings, and where nothing runs off.
    """
    from scipy.optimize import minimize

    names = list(target.fits)
    if not names:
        raise EditRefused(f"“{target.title}” has no parameter to be fitted.", remedy="Choose another loss.")
    runoff, peak = storms.answer(other)
    if not runoff.any():
        raise EditRefused(
            "nothing runs off in any of the storms, so there is nothing to fit to.", remedy="Take greater storms."
        )
    low, high = (np.array([target.fits[name][side] for name in names]) for side in (0, 1))

    def with_values(shares: Floats) -> Loss:
        # squares of shares, so that small values are looked at as closely as great ones
        shares = np.clip(shares, 0.0, 1.0)
        values = low + (high - low) * np.where(shares < NOUGHT, 0.0, shares) ** 2
        return target.with_values(names, [float(v) for v in values])

    def misfit(shares: Floats) -> float:
        loss = with_values(shares)
        try:
            # a copy is not checked, and some values exclude each other
            type(loss)(**loss.__dict__)
        except TarnwaterError:
            return float("inf")
        own_runoff, own_peak = storms.answer(loss)
        off = np.concatenate([(own_runoff - runoff) / runoff.mean(), (own_peak - peak) / peak.mean()])
        outside = np.abs(shares - np.clip(shares, 0.0, 1.0)).sum()
        return float(off @ off) + float(outside)

    starts = sorted((np.sqrt(start) for start in _starts(len(names))), key=misfit)[:SEARCHES]
    options = {"xatol": 1e-7, "fatol": 1e-12}
    found = [minimize(misfit, start, method="Nelder-Mead", options=options) for start in starts]
    fitted = with_values(min(found, key=lambda one: float(one.fun)).x)
    own_runoff, own_peak = storms.answer(fitted)
    rows = zip(storms.names, storms.rain.sum(axis=1), storms.durations, runoff, own_runoff, peak, own_peak, strict=True)
    kept = tuple(
        FittedStorm(
            name=name, depth=float(depth), duration=float(duration), runoff=float(r), fitted_runoff=float(own_r),
            peak=float(p), fitted_peak=float(own_p),
        )
        for name, depth, duration, r, own_r, p, own_p in rows
    )  # fmt: skip
    values = tuple((name, float(getattr(fitted, name).known)) for name in names)
    return fitted, LossFit(of=f"{other.title}", parameters=values, storms=kept)


def _starts(count: int) -> list[Floats]:
    """Places from which the search starts: each of some shares for every parameter, mixed."""
    grid = np.array(np.meshgrid(*[STARTS] * count)).reshape(count, -1).T
    return [np.asarray(row) for row in grid]
