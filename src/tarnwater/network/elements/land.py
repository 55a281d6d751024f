"""From the land of a catchment to its surfaces."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

from tarnwater.cover import CoverClass
from tarnwater.cover.classes import Coefficients, coefficients_by_period
from tarnwater.cover.land import CatchmentLand, LandRow, LandRules, LandTable, coefficient_of, land_table
from tarnwater.network.elements.catchment import Catchment
from tarnwater.network.elements.element import Element
from tarnwater.network.elements.surface import CoverReference, Surface, coefficients_of
from tarnwater.network.memo import IdentityMemo
from tarnwater.parameters import Setting, derived
from tarnwater.runoff.losses import CurveNumber, Loss

#: Name of the surface that all but connected impervious land makes together, and of that.
COMPOSITE, CONNECTED = "composite", "connected impervious"


@dataclass(frozen=True)
class Library:
    """What the curve numbers of surfaces follow from: the classes of the study, and its rules.

    ``tables`` keeps the tables that were made of the same land.
    """

    classes: Mapping[str, CoverClass]
    rules: LandRules
    tables: IdentityMemo[LandTable] = field(default_factory=lambda: IdentityMemo(256), compare=False, repr=False)

    def table(self, land: CatchmentLand, area: float | None) -> LandTable:
        """The table of some land in a catchment of an area, m2."""
        parts = land, self.classes, self.rules
        return self.tables.get(parts, (area,)) or self.tables.put(
            parts, land_table(land, self.rules, self.classes, area), (area,)
        )

    def followed(self, element: Element) -> Element:
        """An element whose surfaces follow from its land, or the same object where nothing differs."""
        if not isinstance(element, Catchment):
            return element
        surfaces = (
            self.looked_up(element.surfaces)
            if element.land is None
            else surfaces_of(self.table(element.land, element.area.value), element.land, element.surfaces)
        )
        return element if surfaces == element.surfaces else element.model_copy(update={"surfaces": surfaces})

    def with_land(self, element: Catchment, land: CatchmentLand) -> Catchment:
        """A catchment with other land, and the surfaces that follow; those made by hand before are given up."""
        before = element.surfaces
        if element.land is None:
            names = {row.name for row in self.table(land, element.area.value).rows}
            before = tuple(s if s.name in names else s.model_copy(update={"loss": s.loss.untyped()}) for s in before)
        followed = self.followed(element.model_copy(update={"land": land, "surfaces": before}))
        assert isinstance(followed, Catchment)
        return followed.refreshed()

    def looked_up(self, surfaces: Sequence[Surface]) -> tuple[Surface, ...]:
        """Surfaces with the numbers of their covers in the study, where it has those classes."""
        return tuple(map(self._looked_up, surfaces))

    def _looked_up(self, surface: Surface) -> Surface:
        """A surface with the number of its cover in the study, where the study has the class."""
        cover, number = surface.cover, None
        coefficients: Coefficients = ()
        if cover is not None:
            own = cover.title in self.classes
            if own:
                known = self.classes[cover.title]
                number, coefficients = known.number(cover.group), coefficients_of(known)
            cover = cover if cover.own == own else cover.model_copy(update={"own": own})
        if cover is surface.cover and (number, coefficients) == (surface.cover_number, surface.cover_coefficients):
            return surface
        update = {"cover_number": number, "cover_coefficients": coefficients, "cover": cover}
        return surface.model_copy(update=update).refreshed()


def surfaces_of(table: LandTable, land: CatchmentLand, before: Sequence[Surface]) -> tuple[Surface, ...]:
    """The surfaces of a table: one for each row, or a composite and what is connected impervious.

    A surface of the same name before keeps its loss with all that was typed; a new one has the kind of loss of the
    first. A surface on which something was typed stays without land, so that nothing typed is lost.
    """
    known = {surface.name: surface for surface in before}
    made = _composites(table) if land.uses == "composite" else [_of_row(row) for row in table.rows]
    made = _with_own_names(made)
    pattern = before[0].loss.untyped() if before else CurveNumber()
    found = [_as_before(one, known.get(one.name), pattern).refreshed() for one in made]
    names = {one.name for one in found}
    found += [
        surface.model_copy(update={"share": derived(0.0), "area": None})
        for surface in before
        if surface.name not in names and _has_typed(surface.loss)
    ]
    # a catchment always has a surface, also before anything is known of its land
    return tuple(found) or (Surface(name="whole", share=derived(1.0), loss=pattern),)


def _as_before(made: Surface, before: Surface | None, pattern: Loss) -> Surface:
    """A surface with what was chosen and typed on that of its name before; a new one with a kind of loss."""
    if before is None:
        return made.model_copy(update={"loss": pattern})
    kept = {name: getattr(before, name) for name in ("loss", "depression", "route", "fitted")}
    return made.model_copy(update=kept)


def _with_own_names(surfaces: Sequence[Surface]) -> list[Surface]:
    """The surfaces, of like names the later ones numbered."""
    seen: dict[str, int] = {}
    found = []
    for one in surfaces:
        seen[one.name] = seen.get(one.name, 0) + 1
        named = f"{one.name} {seen[one.name]}"
        found.append(one if seen[one.name] == 1 else one.model_copy(update={"name": named}))
    return found


def _of_row(row: LandRow) -> Surface:
    reference = None
    if row.cover is not None and row.group is not None and not row.connected:
        reference = CoverReference(title=row.cover.name, group=row.group, own=True)
    return Surface(
        name=row.name, share=derived(min(row.share, 1.0)), cover=reference, texture=row.texture,
        connected_impervious=row.connected, cover_number=row.number,
        cover_coefficients=coefficients_by_period(row.coefficient, _periods_of([row])),
    )  # fmt: skip


def _composites(table: LandTable) -> list[Surface]:
    """One surface of all rows but the connected ones, and one of these; each with its area-weighted curve number."""
    found = []
    for name, connected in ((COMPOSITE, False), (CONNECTED, True)):
        rows = [row for row in table.rows if row.connected == connected]
        share = sum(row.share for row in rows)
        if share > 0:
            known = {
                "connected_impervious": connected,
                "cover_number": table.number_of(rows),
                "cover_coefficients": coefficients_by_period(partial(coefficient_of, rows), _periods_of(rows)),
            }
            found.append(Surface(name=name, share=derived(min(share, 1.0)), **known))
    return found


def _periods_of(rows: Sequence[LandRow]) -> list[float]:
    """Return periods at which the runoff coefficient of a row changes by itself."""
    return [period for row in rows if row.cover is not None for period, _ in row.cover.coefficients]


def _has_typed(loss: Loss) -> bool:
    return any(isinstance(v := getattr(loss, name), Setting) and v.typed is not None for name, _ in loss.quantities())
