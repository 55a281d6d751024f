"""Pipes and culverts, under inlet and outlet control."""

from __future__ import annotations

import csv
from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property, partial
from importlib import resources
from typing import Any, ClassVar, Literal, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, option, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.routing.faces import LEAST_STROKE, Face, box_face, raised, round_face
from tarnwater.routing.works.barrel import Barrel
from tarnwater.routing.works.codes import CONDUIT, Coded
from tarnwater.routing.works.device import GRAVITY, Outlet

SOURCE = "FHWA Hydraulic Design Series No. 5, Hydraulic Design of Highway Culverts; Manning (1891)"

#: Ku of the inlet equations in SI, and the range between free and drowned inlets.
SI_FACTOR, FREE, DROWNED = 1.811, 3.5, 4.0

#: Flows of a rating, and tailwaters between which ratings are interpolated where there are more.
FLOWS, TAILS = 160, 160

#: Head of the first part of a rating in units of the height of the barrel; each further part doubles it.
HEADS = 4.0


@dataclass(frozen=True)
class Inlet:
    """Constants of an inlet: free (form 1 with the critical energy, 2 without), drowned, and its loss."""

    shape: str
    title: str
    form: int
    k: float
    m: float
    c: float
    y: float
    loss: float

    @property
    def slope_factor(self) -> float:
        """Ks, the part of the slope: −0.5, and +0.7 for a mitred inlet."""
        return 0.7 if "mitred" in self.title else -0.5


@cache
def inlets() -> dict[str, Inlet]:
    """The inlets of the table by title."""
    text = resources.files(__package__).joinpath("culvert_inlet.csv").read_text()
    rows = csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))
    found = (
        Inlet(
            row["shape"], f"{row['material']}, {row['inlet']}", int(row["form"]), float(row["K"]), float(row["M"]),
            float(row["c"]), float(row["Y"]), float(row["entrance_loss_ke"]),
        )
        for row in rows
    )  # fmt: skip
    return {one.title: one for one in found}


def _inlet(shape: str) -> Any:
    def among() -> tuple[str, ...]:
        return tuple(title for title, one in inlets().items() if one.shape == shape)

    return option("form of the inlet", among, label="inlet", default=among()[0])


class Conduit(Outlet):
    """A pipe or culvert; the greater of the headwaters by inlet and by outlet control governs."""

    bottom: float = parameter(
        "height", "level of the floor at the inlet", label="inlet invert", symbol="zi", default=0.0
    )
    outlet: float = parameter(
        "height", "level of the floor at the outlet", label="outlet invert", symbol="zo", default=0.0
    )
    length: float = parameter(
        "length", "length of the barrel", label="barrel length", symbol="L", above=0, most=1e4, usual=(2, 300),
        default=20.0,
    )  # fmt: skip
    roughness: float = parameter(
        "factor", "Manning's roughness", label="roughness", symbol="n", above=0, most=0.3, usual=(0.009, 0.035),
        source=SOURCE, default=0.013,
    )  # fmt: skip
    barrels: int = parameter("count", "barrels side by side", label="barrels", symbol="N", least=1, most=100, default=1)
    entrance_loss: Setting[float] = parameter(
        "factor", "loss at the entrance in velocity heads", label="entrance loss", symbol="Ke", least=0, most=5,
        usual=(0.1, 1), source="its inlet", default=Setting[float](),
    )  # fmt: skip

    equation: ClassVar[str] = "HW = max(D f(Q / A √D), E_inlet + Ke v²/2g, E_critical)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "the inlet equations by hand; the full barrel by the energy equation; SciPy's integration of the water "
        "surface; no flow at equal levels"
    )

    @property
    @abstractmethod
    def barrel(self) -> Barrel:
        """One of its barrels."""

    @property
    @abstractmethod
    def of_inlet(self) -> Inlet:
        """The constants of its inlet."""

    def refreshed(self) -> Self:
        """A copy with the entrance loss of its inlet."""
        loss = self.entrance_loss.with_derived(self.of_inlet.loss)
        # itself where nothing changes, with the ratings that it has
        return self if loss == self.entrance_loss else self.model_copy(update={"entrance_loss": loss})

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The entrance loss of its inlet."""
        loss = self.of_inlet.loss
        if name != "entrance_loss":
            return None
        tabled = Reckoning(f"Ke of the inlet “{self.of_inlet.title}”", loss, "factor", symbol="Ke", origin=SOURCE)
        return Derivation("Ke = that of the inlet", SOURCE, (tabled,), float)

    @property
    def invert(self) -> float:
        """The higher of its two floors."""
        return max(self.bottom, self.outlet)

    @property
    def bends(self) -> tuple[float, ...]:
        """Floor and roof of the inlet."""
        return self.invert, self.bottom + self.barrel.height

    def headwaters(self, flow: Floats, behind: Floats) -> Floats:
        """Levels before it (tailwater, flow) m at flows (flow,) m3/s with levels behind it (tailwater,) m."""
        by_inlet, by_outlet = self.headwaters_apart(flow, behind)
        governing = np.maximum(np.maximum(by_outlet, by_inlet), self.bottom)
        # a headwater that fell with more flow would leave two flows at one level
        return np.maximum.accumulate(np.maximum(governing, behind[:, None]), axis=1)

    def headwaters_apart(self, flow: Floats, behind: Floats) -> tuple[Floats, Floats]:
        """Levels before it by the inlet (flow,), and by the outlet (tailwater, flow), m; the higher governs."""
        barrel, own = self.barrel, flow / self.barrels
        typed = self.entrance_loss.typed_value
        loss = self.of_inlet.loss if typed is None else typed
        energy, head = barrel.at_inlet(own, behind - self.outlet)
        critical = barrel.critical(own)
        least = critical + barrel.velocity_head(own, critical)
        # where the flow is critical at the inlet the barrel holds nothing back, and the inlet equations have its loss
        by_outlet = np.where(energy > least * (1 + 1e-9), energy + loss * head, least)
        return self.bottom + self._by_inlet(own, least), self.bottom + by_outlet

    def _by_inlet(self, flow: Floats, critical_energy: Floats) -> Floats:
        """Headwater above the floor by the inlet equations, (flow,) m."""
        barrel, inlet = self.barrel, self.of_inlet
        slope = inlet.slope_factor * barrel.fall / barrel.length
        x = SI_FACTOR * flow / (barrel.full * np.sqrt(barrel.height))
        at_free = np.minimum(x, FREE)
        base = critical_energy / barrel.height if inlet.form == 1 else 0.0
        free = base + inlet.k * at_free**inlet.m + slope
        drowned = inlet.c * np.maximum(x, DROWNED) ** 2 + inlet.y + slope
        found: Floats = (
            barrel.height * np.interp(x, [FREE, DROWNED], [0.0, 1.0]) * (drowned - free) + barrel.height * free
        )
        return found

    @cached_property
    def _ratings(self) -> dict[tuple[bytes, float], tuple[Floats, Floats]]:
        return {}

    def _rating(self, tails: Floats, highest: float) -> tuple[Floats, Floats]:
        """Flows (flow,) and the levels (tailwater, flow) at which they pass, up to a level (m)."""
        # a rating up to the next whole metre serves levels that come in turn
        highest = float(np.ceil(highest))
        asked = tails.tobytes(), highest
        if asked not in self._ratings:
            if len(self._ratings) > 8:
                self._ratings.clear()
            flows = self._flows_up_to(highest)
            self._ratings[asked] = flows, self.headwaters(flows, tails)
        return self._ratings[asked]

    def _flows_up_to(self, highest: float) -> Floats:
        """Flows of a rating up to a level (m), denser where they are small.

        Greater flows are added to the same smaller ones, so that a flow does not depend on how high the table goes.
        """
        per_root = self.barrels * self.barrel.full * np.sqrt(2 * GRAVITY)
        head = HEADS * self.barrel.height
        flows: Floats = per_root * np.sqrt(head) * np.linspace(0.0, 1.0, FLOWS) ** 2
        while self.outlet + head < highest:
            further = per_root * np.sqrt(head), per_root * np.sqrt(2 * head)
            flows, head = np.append(flows, np.linspace(*further, FLOWS // 4 + 1)[1:]), 2 * head
        return flows

    def _tails(self, behind: Floats | None, highest: float) -> Floats:
        """The levels behind it for which it is rated: those that there are, or even ones if they are many or any."""
        known = None if behind is None else np.unique(np.maximum(behind, self.outlet))
        if known is not None and len(known) < TAILS:
            return known
        return np.linspace(self.outlet, max(float(np.ceil(highest)), self.outlet + 1.0), TAILS)

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its ratings at levels behind it."""
        tails = self._tails(behind, highest)
        flows, levels = self._rating(tails, highest)
        table = np.concatenate([tails, flows, levels.ravel()])
        return Coded(CONDUIT, (self.outlet, 0.0, float(len(tails)), float(len(flows))), table, 1)

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Flow at levels, by its ratings at levels behind it; between these the level before it is interpolated."""
        level, behind = np.broadcast_arrays(np.asarray(level, float), np.asarray(behind, float))
        highest = float(level.max()) if level.size else 0.0
        return self._by_ratings(self.coded(behind, highest), level, behind)

    def steady(self, highest: float) -> Callable[[Floats, Floats], Floats]:
        """Its flow by the ratings at even levels behind it."""
        return partial(self._by_ratings, self.coded(None, highest))

    def _by_ratings(self, coded: Coded, level: Floats, behind: Floats) -> Floats:
        from tarnwater.routing.works import _kernels as kernels

        level, behind = np.broadcast_arrays(np.asarray(level, float), np.asarray(behind, float))
        numbers = np.array([[*coded.numbers, 0.0, 0.0, self.invert]])
        found: Floats = kernels.barrel_flows(level.ravel(), behind.ravel(), numbers, coded.table)
        return found.reshape(level.shape)


class RoundPipe(Conduit):
    """A round pipe or culvert."""

    method: Literal["round-pipe"] = "round-pipe"
    diameter: float = parameter(
        "length", "inside diameter", label="diameter", symbol="D", above=0, most=20, usual=(0.15, 4), default=0.6
    )
    inlet: str = _inlet("circular")

    title: ClassVar[str] = "round pipe or culvert"

    @property
    def barrel(self) -> Barrel:
        """A round barrel."""
        return Barrel(self.diameter, None, self.length, self.bottom - self.outlet, self.roughness)

    @property
    def of_inlet(self) -> Inlet:
        """The constants of its inlet."""
        return inlets()[self.inlet]

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Both inverts, and its diameter where it has one."""
        return {"bottom": low, "outlet": low} | ({"diameter": height} if height >= LEAST_STROKE else {})

    def face(self, top: float) -> Face:
        """Its inlet; the whole pipe moves with it."""
        return round_face(self.bottom, self.diameter, raised(bottom=self.bottom, outlet=self.outlet))


class BoxCulvert(Conduit):
    """A box culvert."""

    method: Literal["box-culvert"] = "box-culvert"
    width: float = parameter(
        "length", "inside width", label="width", symbol="b", above=0, most=50, usual=(0.3, 6), default=1.0
    )
    height: float = parameter(
        "length", "inside height", label="height", symbol="D", above=0, most=20, usual=(0.3, 4), default=1.0
    )
    inlet: str = _inlet("box")

    title: ClassVar[str] = "box culvert"

    @property
    def barrel(self) -> Barrel:
        """A box."""
        return Barrel(self.height, self.width, self.length, self.bottom - self.outlet, self.roughness)

    @property
    def of_inlet(self) -> Inlet:
        """The constants of its inlet."""
        return inlets()[self.inlet]

    def face(self, top: float) -> Face:
        """Its inlet; the whole culvert moves with it."""
        return box_face(self.bottom, self.width, self.height, raised(bottom=self.bottom, outlet=self.outlet))
