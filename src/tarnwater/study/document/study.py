"""The study: one immutable model, and the function through which every change goes.

A study has everything but grids, series and geometries, which are stored once under their digests; the document has
the digests. Keys are short and never change; names are for people and unique.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any, Literal, TypeVar

from pydantic import PrivateAttr, ValidationError, model_validator

from tarnwater.cover import CoverClass, cover_classes
from tarnwater.cover.land import LandRules
from tarnwater.cover.soils import DUAL_GROUPS, GROUPS, soil_textures
from tarnwater.errors import BadInput, EditRefused, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import AnyElement, Catchment, Element, Library, Link
from tarnwater.network.memo import Memory
from tarnwater.parameters import Model
from tarnwater.rain.depth_equation import AnyDepths
from tarnwater.rain.given import AnyStorm, GivenStorm
from tarnwater.rain.records.events import EventRule
from tarnwater.rain.storms import StormFamily
from tarnwater.study.document.cover import LandLayer
from tarnwater.study.document.land import Outlet, Terrain
from tarnwater.study.document.map import Background, MapLabels, SavedView
from tarnwater.study.document.parts import STEPS, Acceptance, Condition, DesignPoint, RunSettings, Series
from tarnwater.study.document.rain import CatchmentRain, Gauge, RainGrid
from tarnwater.study.document.works import Adopted, ChannelWorks, CulvertWorks
from tarnwater.terrain.features import AnyGroundFeature
from tarnwater.units import System

FORMAT = 2


#: The derived step is at most this share of the shortest lag.
STEP_SHARE = 0.2


V = TypeVar("V")


BASE_CONDITION = "existing"


class Study(Model):
    """The whole document."""

    _memory: Memory = PrivateAttr(default_factory=Memory)

    format: Literal[2] = 2
    title: str = "Untitled study"
    number: str = ""
    author: str = ""
    checker: str = ""
    note: str = ""
    units: System = "SI"
    entry_units: FrozenDict[str] = FrozenDict()
    locked: bool = False
    crs: str = ""
    terrain: Terrain | None = None
    outlets: FrozenDict[Outlet] = FrozenDict()
    ground_features: FrozenDict[AnyGroundFeature] = FrozenDict()
    backgrounds: FrozenDict[Background] = FrozenDict()
    map_views: FrozenDict[SavedView] = FrozenDict()
    map_labels: MapLabels = MapLabels()
    cover_classes: FrozenDict[CoverClass] = FrozenDict()
    land_layers: FrozenDict[LandLayer] = FrozenDict()
    land_rules: LandRules = LandRules()
    elements: FrozenDict[AnyElement] = FrozenDict()
    links: FrozenDict[Link] = FrozenDict()
    tables: FrozenDict[AnyDepths] = FrozenDict()
    families: FrozenDict[StormFamily] = FrozenDict()
    storms: FrozenDict[AnyStorm] = FrozenDict()
    gauges: FrozenDict[Gauge] = FrozenDict()
    rain_grids: FrozenDict[RainGrid] = FrozenDict()
    catchment_rain: CatchmentRain = CatchmentRain()
    event_rule: EventRule = EventRule()
    conditions: FrozenDict[Condition] = FrozenDict({BASE_CONDITION: Condition(name="Existing")})
    design_points: FrozenDict[DesignPoint] = FrozenDict()
    series: FrozenDict[Series] = FrozenDict()
    run: RunSettings = RunSettings()
    accepted: tuple[Acceptance, ...] = ()
    adopted: FrozenDict[Adopted] = FrozenDict()
    channels: FrozenDict[ChannelWorks] = FrozenDict()
    culverts: FrozenDict[CulvertWorks] = FrozenDict()

    @model_validator(mode="after")
    def _references(self) -> Study:
        if not self.conditions:
            raise EditRefused("a study has at least one condition.", remedy="Add one.")
        _unique("element", {k: e.name for k, e in self.all_elements.items()})
        _unique("condition", {k: c.name for k, c in self.conditions.items()})
        _unique("outlet", {k: o.name for k, o in self.outlets.items()})
        _unique("feature of the ground", {k: f.name for k, f in self.ground_features.items()})
        _unique("background", {k: b.name for k, b in self.backgrounds.items()})
        _unique("view", {k: v.name for k, v in self.map_views.items()})
        _unique("layer of cover or soil", {k: layer.name for k, layer in self.land_layers.items()})
        _unique("class of cover", {k: c.name for k, c in self.cover_classes.items()})
        for name, cover in self.cover_classes.items():
            if name != cover.name:
                raise EditRefused(f"the class {cover.name} stands under the name {name}.", where="classes of cover")
        for layer in self.land_layers.values():
            if layer.condition and layer.condition not in self.conditions:
                raise UnknownName(layer.condition, self.conditions, kind="condition", where=layer.name)
            _known_meanings(layer, self.cover_classes)
        _unique("storm family", {k: f.name for k, f in self.families.items()})
        families = {f"families/{k}": f.name for k, f in self.families.items()}
        _unique("storm", families | {f"storms/{k}": s.name for k, s in self.storms.items()})
        for key, condition in self.conditions.items():
            _no_parent_circle(self.conditions, key, condition)
        for family in self.families.values():
            if family.table not in self.tables:
                raise UnknownName(family.table, self.tables, kind="depth table", where=family.name)
        _unique("record", {k: g.name for k, g in self.gauges.items()})
        _unique("channel", {k: one.name for k, one in self.channels.items()})
        for channel in self.channels.values():
            if channel.laid is not None and channel.laid.line not in self.ground_features:
                raise EditRefused(
                    "it lies along a line that is not on the map.", where=channel.name,
                    remedy="Lay it along another line, or along none, first.",
                )  # fmt: skip
        _unique("culvert", {k: one.name for k, one in self.culverts.items()})
        _unique("grid of rain", {k: g.name for k, g in self.rain_grids.items()})
        makers: list[StormFamily | GivenStorm] = [*self.families.values(), *self.storms.values()]
        for one in makers:
            if one.after and one.after not in self.storms:
                raise UnknownName(one.after, self.storms, kind="storm to begin after", where=one.name)
        for key in self.storms:
            _no_circle_of_storms(self.storms, key)
        for key in self.design_points:
            if key not in self.all_elements:
                raise UnknownName(key, self.all_elements, kind="element", where="design points")
        return self

    @cached_property
    def library(self) -> Library:
        """What the curve numbers of surfaces follow from."""
        return Library(self.cover_classes, self.land_rules, self.memory.of("tables of land", 4096))

    def outlet_of(self, element: str) -> str | None:
        """Key of the outlet with which an element was made; None for other elements."""
        return next((key for key in self.outlets if element in (key, f"{key}-outlet", f"{key}-reach")), None)

    @property
    def memory(self) -> Memory:
        """Memos of this study and its earlier versions."""
        return self._memory

    def followed_by(self, fields: Mapping[str, Any]) -> Study:
        """Another study that shares the memory of this one."""
        new = Study(**fields)
        new._memory = self._memory
        return new

    @property
    def map_crs(self) -> str:
        """Coordinate system of all places: the terrain's, or the one that was said; empty where there is none."""
        return self.crs if self.terrain is None else self.terrain.crs

    @cached_property
    def all_elements(self) -> dict[str, Element]:
        """Elements of the study and those that conditions add, by key."""
        everything: dict[str, Element] = dict(self.elements)
        for condition in self.conditions.values():
            everything.update(condition.added)
        return everything

    def name_of(self, key: str) -> str:
        """Name of an element, or its key if it does not exist."""
        element = self.all_elements.get(key)
        return key if element is None else element.name

    def key_of(self, name: str) -> str:
        """Key of the element with a name (or key), whatever its case; `UnknownName` with the nearest."""
        return _key_named(name, {k: e.name for k, e in self.all_elements.items()}, "element")

    def condition_of(self, name: str) -> str:
        """Key of the condition with a name (or key)."""
        return _key_named(name, {k: c.name for k, c in self.conditions.items()}, "condition")

    def family_of(self, name: str) -> str:
        """Key of the storm family with a name (or key)."""
        return _key_named(name, {k: f.name for k, f in self.families.items()}, "storm family")

    def storm_of(self, name: str) -> str:
        """Key of the given storm with a name (or key)."""
        return _key_named(name, {k: s.name for k, s in self.storms.items()}, "storm")

    @property
    def catchments(self) -> dict[str, Catchment]:
        """Catchments of the study itself, by key."""
        return {k: e for k, e in self.elements.items() if isinstance(e, Catchment)}

    @property
    def outfalls(self) -> dict[str, Element]:
        """Ends of the network of the study itself, by key."""
        return {k: e for k, e in self.elements.items() if e.is_end}

    def as_dict(self) -> dict[str, Any]:
        """The document as plain data, without None."""
        return self.model_dump(mode="json", exclude_none=True)

    def as_dict_sharing(self, other: Study, written: Mapping[str, Any]) -> dict[str, Any]:
        """The same, reusing the plain data of another study for the parts that are the same objects.

        Unchanged parts can then be compared by identity.
        """
        data: dict[str, Any] = {}
        for name in type(self).model_fields:
            own, others = getattr(self, name), getattr(other, name)
            if own is others and name in written:
                data[name] = written[name]
            elif isinstance(own, FrozenDict) and name in written:
                known = written[name]
                data[name] = {
                    key: known[key] if key in known and part is others.get(key) else _plain(part)
                    for key, part in own.items()
                }
            elif own is not None:
                data[name] = _plain(own)
        return data

    def as_line(self) -> str:
        """The document as JSON text in one line."""
        return self.model_dump_json(exclude_none=True)

    def as_text(self) -> str:
        """The document as JSON text, the same for the same study."""
        return json.dumps(self.as_dict(), ensure_ascii=False, indent=1)


def _plain(part: Any) -> Any:
    if isinstance(part, Model):
        return part.model_dump(mode="json", exclude_none=True)
    if isinstance(part, Mapping):
        return {key: _plain(one) for key, one in part.items()}
    if isinstance(part, tuple):
        return [_plain(one) for one in part]
    return part


def _known_meanings(layer: LandLayer, classes: Mapping[str, CoverClass]) -> None:
    """Raise `UnknownName` for a value of a layer that means a class, group or texture that does not exist."""
    known: Mapping[str, set[str]] = {
        "cover": {*cover_classes(), *classes},
        "soil group": {*GROUPS, *DUAL_GROUPS},
        "soil texture": set(soil_textures()),
    }
    for one in layer.values:
        if one.meant and one.meant not in known[layer.holds]:
            word = "cover class" if layer.holds == "cover" else layer.holds
            raise UnknownName(one.means, known[layer.holds], kind=word, where=f"{layer.name}, value {one.value}")


def _unique(kind: str, names: Mapping[str, str]) -> None:
    seen: dict[str, str] = {}
    for key, name in names.items():
        if (other := seen.setdefault(name.casefold(), key)) != key:
            raise EditRefused(
                f"there is already {'an' if kind[0] in 'aeo' else 'a'} {kind} “{names[other]}”.",
                where=name,
                remedy="Choose another name.",
            )


def _no_parent_circle(conditions: Mapping[str, Condition], key: str, condition: Condition) -> None:
    seen = {key}
    while condition.parent is not None:
        if condition.parent not in conditions:
            raise UnknownName(condition.parent, conditions, kind="condition", where=condition.name)
        if condition.parent in seen:
            raise EditRefused(
                "a condition cannot inherit from itself.", where=condition.name, remedy="Choose a parent."
            )
        seen.add(condition.parent)
        condition = conditions[condition.parent]


def _no_circle_of_storms(storms: Mapping[str, GivenStorm], key: str) -> None:
    seen = [key]
    while (before := storms[seen[-1]].after) in storms:
        if before in seen:
            raise EditRefused(
                "a storm cannot begin after itself.", where=storms[key].name, remedy="Choose another storm before it."
            )
        seen.append(before)


def _key_named(name: str, names: Mapping[str, str], kind: str) -> str:
    if name in names:
        return name
    folded = name.casefold()
    for key, own in names.items():
        if own.casefold() == folded:
            return key
    raise UnknownName(name, names.values(), kind=kind)


def proposed_step(study: Study) -> float | None:
    """The largest step not above a fifth of the shortest lag or what a method proposes, s; None if nothing is known."""
    lands = [e for e in study.all_elements.values() if isinstance(e, Catchment)]
    lags = [STEP_SHARE * e.delay for e in lands if e.delay]
    lags += [e.transform.proposed_step for e in lands if e.transform.proposed_step]
    if not lags:
        return None
    fitting = [s for s in STEPS if s <= min(lags) * (1 + 1e-9)]
    return fitting[-1] if fitting else STEPS[0]


def checked(make: Callable[[], V], where: str = "") -> V:
    """Build a model; errors of pydantic are reported as one `EditRefused`."""
    try:
        return make()
    except ValidationError as error:
        faults = "; ".join(
            f"{'/'.join(str(p) for p in e['loc']) or 'study'}: {e['msg'].removeprefix('Value error, ')}"
            for e in error.errors()
        )
        raise EditRefused(faults + ".", where=where[:80], remedy="Correct it and try again.") from error
    except BadInput as error:
        if where and where not in error.where:
            error.where = f"{where}, {error.where}" if error.where else where
        raise


def changed(study: Study, **fields: Any) -> Study:
    """A new study with some fields replaced, validated, and its values derived again. Every change goes through here.

    Raises `EditRefused` if the study is locked (unless this unlocks it) or the result would not be valid; the given
    study is not changed. The step is derived once, when the first lag is known, and then kept.
    """
    if study.locked and fields.get("locked") is not False:
        raise EditRefused("the study is locked.", where=study.title, remedy="Unlock it to change it.")
    library, relearned = study.library, bool({"cover_classes", "land_rules"} & fields.keys())
    if relearned:
        classes = fields.get("cover_classes", study.cover_classes)
        library = checked(lambda: Library(classes, fields.get("land_rules", study.land_rules)))
        fields.setdefault("elements", study.elements)
        fields.setdefault("conditions", study.conditions)
    if "elements" in fields:
        fields["elements"] = {
            key: element
            if study.elements.get(key) is element and not relearned
            else library.followed(element).refreshed()
            for key, element in fields["elements"].items()
        }
    if "families" in fields or "tables" in fields:
        tables = fields.get("tables", study.tables)
        families = fields.get("families", study.families)
        fields["families"] = {key: family.refreshed(tables.get(family.table)) for key, family in families.items()}
    if "conditions" in fields:
        fields["conditions"] = {key: _refreshed_condition(c, library) for key, c in fields["conditions"].items()}
    whole = {name: getattr(study, name) for name in Study.model_fields} | fields
    new = checked(lambda: study.followed_by(whole))
    if new.run.step.value is None and (step := proposed_step(new)) is not None:
        run = new.run.model_copy(update={"step": new.run.step.with_derived(step)})
        new = checked(lambda: study.followed_by({**whole, "run": run}))
    return new


def _refreshed_condition(condition: Condition, library: Library) -> Condition:
    added = {key: library.followed(element).refreshed() for key, element in condition.added.items()}
    return condition if not added else condition.model_copy(update={"added": FrozenDict(added)})


def study_from(data: Mapping[str, Any]) -> Study:
    """Read a document of the present format from plain data, its values derived again."""
    study = checked(lambda: Study.model_validate(data), "study")
    locked = study.locked
    elements = {k: e.refreshed() for k, e in study.elements.items()}
    study = changed(study, elements=elements, families=study.families, conditions=study.conditions, locked=False)
    return changed(study, locked=locked) if locked else study
