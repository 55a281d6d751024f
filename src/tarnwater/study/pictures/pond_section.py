"""A pond to scale: the section of its storage, and beside it its outlet works as they are seen from the pond.

Both parts have one scale of heights. The works are true to it in both directions, so that a circle is a circle; the
section is shortened along its length by a round number, which is written under it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tarnwater import units
from tarnwater.drawings import Circle, Drawing, Measure, Note, Outline, Place, Shape, Side
from tarnwater.network.elements import Pond
from tarnwater.plots import Role, Style
from tarnwater.routing.faces import Change, Face, Grip
from tarnwater.routing.ponds import Storage
from tarnwater.routing.works import Device

#: Room above and below what is drawn, as a share of its height; of the width for the works, at most and at least.
ABOVE, BELOW, MOST_WALL, LEAST_WALL = 0.2, 0.16, 0.6, 0.34

#: Factors by which lengths are shortened.
SHORTENED = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0)

#: Width beyond which a device is drawn broken off, in heights of what is drawn, and the gap beside it.
BROKEN, GAP = 0.36, 0.04

#: Levels of the outline of the storage.
PROFILE = 40

#: Lines of writing that fit into the height, and into the width of a narrow frame; letters of a line as wide as it is
#: high, and letters beside the levels.
LINES, ACROSS, LETTER, BESIDE = 19.0, 30.0, 0.37, 18


@dataclass(frozen=True)
class LevelLine:
    """A level that is drawn across the section, m, with its words."""

    level: float
    text: str
    role: Role = "quiet"
    style: Style = "dashed"


@dataclass(frozen=True)
class PlacedGrip:
    """A grip in its drawing: the path of what holds it, and how far on the drawing makes how much of its own way."""

    holder: str
    grip: Grip
    at: Place
    factor: float = 1.0

    @property
    def key(self) -> str:
        """What it is known by while the drawing is made anew."""
        return f"{self.holder}:{self.grip.title}"

    def changed(self, way: float) -> dict[str, float]:
        """Values by path after a drag over a way on the drawing, m."""
        return {f"{self.holder}/{name}": value for name, value in self.grip.change(way * self.factor).items()}


@dataclass(frozen=True)
class PlacedDevice:
    """A device in its drawing: its number, the box that it fills, and the riser that it stands in."""

    number: int
    name: str
    inside: str
    box: tuple[float, float, float, float]
    moved: Change | None
    hollow: bool

    def holds(self, place: Place) -> bool:
        """Whether a place is in its box."""
        left, low, right, high = self.box
        return left <= place[0] <= right and low <= place[1] <= high

    def changed(self, way: float) -> dict[str, float]:
        """Values by path after it was moved up by a way, m."""
        moved = {} if self.moved is None else self.moved(way)
        return {f"devices/{self.number}/{name}": value for name, value in moved.items()}


@dataclass(frozen=True)
class PondSection:
    """The drawing, what of it can be dragged, and the range across (m) of the works in it."""

    drawing: Drawing
    grips: tuple[PlacedGrip, ...]
    devices: tuple[PlacedDevice, ...]
    wall: tuple[float, float]
    shortened: float

    def device_at(self, place: Place) -> PlacedDevice | None:
        """The device at a place: the smallest where several lie over each other."""
        there = [one for one in self.devices if one.holds(place)]
        return min(there, key=lambda one: (one.box[2] - one.box[0]) * (one.box[3] - one.box[1]), default=None)

    def riser_at(self, place: Place) -> PlacedDevice | None:
        """The riser whose shaft is at a place."""
        there = [one for one in self.devices if one.hollow and one.box[0] <= place[0] <= one.box[2]]
        return min(there, key=lambda one: one.box[2] - one.box[0], default=None)


@dataclass
class _Slot:
    """A device with its face, its place across, and what stands in it."""

    number: int
    device: Device
    face: Face
    inside: list[_Slot] = field(default_factory=list)
    middle: float = 0.0
    shown: float = 0.0

    @property
    def broken(self) -> bool:
        """Whether it is wider than what is shown of it."""
        return self.face.width > self.shown * (1 + 1e-9)


def pond_section(
    pond: Pond,
    system: units.System,
    *,
    ratio: float = 1.9,
    level: float | None = None,
    inside: Mapping[str, float] | None = None,
    lines: Sequence[LevelLine] = (),
) -> PondSection | None:
    """A pond with water at a level (m) and in its risers, in a frame of a ratio of width to height.

    Lines are drawn across at further levels. None for a pond without storage.
    """
    if pond.store is None:
        return None
    return _Drafting(pond, pond.store, system, ratio, level, inside or {}, lines).drawn()


class _Drafting:
    """One pond while it is drawn."""

    def __init__(
        self, pond: Pond, store: Storage, system: units.System, ratio: float, level: float | None,
        inside: Mapping[str, float], lines: Sequence[LevelLine],
    ) -> None:  # fmt: skip
        self._pond, self._store, self._system, self._inside, self._lines = pond, store, system, inside, lines
        self._level = None if level is None else float(np.clip(level, store.floor, store.top))
        self._shapes: list[Shape] = []
        self._grips: list[PlacedGrip] = []
        self._placed: list[PlacedDevice] = []
        self._slots = self._arranged()
        lows = [self._store.floor, *(slot.face.low for slot in self._all_slots())]
        lows += [part.low for slot in self._all_slots() for part in slot.face.parts]
        self._low, self._high = min(lows), max([store.top, *(line.level for line in lines)])
        height = max(self._high - self._low, 1e-3)
        self._frame_low, self._frame_high = self._low - BELOW * height, self._high + ABOVE * height
        self._height = self._frame_high - self._frame_low
        self._width = ratio * self._height
        self._line = min(self._height / LINES, self._width / ACROSS)
        wall = self._lay_out_wall()
        self._wall_width = min(max(wall, LEAST_WALL * self._width), MOST_WALL * self._width)
        # wide works are made to fit by a wider frame, never by another scale across
        if wall > self._wall_width:
            self._wall_width, grown = wall, wall / MOST_WALL / self._width
            middle = 0.5 * (self._frame_low + self._frame_high)
            self._width *= grown
            self._height *= grown
            self._frame_low, self._frame_high = middle - self._height / 2, middle + self._height / 2
            self._line = min(self._height / LINES, self._width / ACROSS)
        self._margin = 0.008 * self._width
        self._wall = self._width - self._wall_width
        # between both stand the words of the levels
        self._section = self._wall - BESIDE * LETTER * self._line

    def drawn(self) -> PondSection:
        """The drawing with all that can be dragged."""
        shortened = self._draw_basin()
        self._draw_wall()
        self._draw_lines()
        told = f"lengths of the storage 1/{shortened:g} of its heights; " if shortened != 1 else ""
        drawing = Drawing(
            self._pond.name, f"{told}the works true to scale, seen from the pond",
            (0.0, self._frame_low, self._width, self._frame_high), tuple(self._shapes),
        )  # fmt: skip
        wall = self._wall, self._width
        return PondSection(drawing, tuple(self._grips), tuple(self._placed), wall, shortened)

    def _all_slots(self) -> list[_Slot]:
        found, waiting = [], list(self._slots)
        while waiting:
            slot = waiting.pop(0)
            found.append(slot)
            waiting += slot.inside
        return found

    # the section of the storage

    def _draw_basin(self) -> float:
        """Ground, water and grips of the storage; returns by how much its lengths are shortened."""
        floor, top = self._store.floor, self._store.top
        levels = np.unique(np.concatenate([np.linspace(floor, top, PROFILE), self._store.bends]))
        # the area of a form ends just at its floor and its top
        inner = np.clip(levels, floor + 1e-9 * (top - floor), top - 1e-9 * (top - floor))
        across = self._store.across(inner)
        room = self._section - 2 * self._margin
        shortened = max(units.round_up(float(across.max()) / (0.84 * room), SHORTENED), 1.0)
        half, middle = across / shortened / 2, 0.5 * self._section
        left = [(float(middle - h), float(z)) for h, z in zip(half, levels, strict=True)]
        right = [(float(middle + h), float(z)) for h, z in zip(half, levels, strict=True)]
        edge_left, edge_right, low = self._margin, self._section - self._margin, self._frame_low
        ground = [(edge_left, top), *left[::-1], *right, (edge_right, top), (edge_right, low), (edge_left, low)]
        self._shapes.append(Outline(tuple(ground), "loss", closed=True, filled=0.16, width=0.0))
        if self._level is not None and self._level > floor:
            wet = levels < self._level
            at = float(np.interp(self._level, levels, half))
            water = [p for p, w in zip(left, wet, strict=True) if w] + [(middle - at, self._level)]
            other = [p for p, w in zip(right, wet, strict=True) if w] + [(middle + at, self._level)]
            self._shapes.append(Outline((*water, *other[::-1]), "water", closed=True, filled=0.22, width=0.0))
            self._shapes.append(Outline(((middle - at, self._level), (middle + at, self._level)), "water", width=1.8))
        self._shapes.append(Outline((*left[::-1], *right), "ink", width=1.4))
        length = units.show(float(across[-1]), "length", self._system)
        up = top + 1.2 * self._line
        self._shapes.append(Measure((left[-1][0], up), (right[-1][0], up), f"{length} across"))
        for number, part in enumerate(self._store.parts):
            for grip in part.grips():
                factor = shortened if grip.axis == "across" else 1.0
                at_place = middle + grip.at[0] / shortened, grip.at[1]
                self._grips.append(PlacedGrip(f"storage/{number}", grip, at_place, factor))
        return shortened

    # the works

    def _arranged(self) -> list[_Slot]:
        """The devices that have a face, what is inside a riser in it; open crests last."""
        slots = []
        for number, device in enumerate(self._pond.devices):
            face = device.face(self._store.top)
            if face is not None:
                slots.append(_Slot(number, device, face))
        risers = {slot.device.name: slot for slot in slots if slot.face.hollow}
        outer: list[_Slot] = []
        for slot in slots:
            holder = risers.get(slot.device.inside) if slot.device.inside else None
            (outer if holder is None or holder is slot else holder.inside).append(slot)
        return sorted(outer, key=lambda slot: (slot.face.opens, slot.face.opens and not slot.face.hollow))

    def _lay_out_wall(self) -> float:
        """Place the devices side by side, each with room for its words; returns the width that they take, m."""
        gap, most = GAP * self._height, BROKEN * self._height
        x, written = gap, 0.0
        for slot in self._slots:
            slot.shown = min(slot.face.width, most)
            words = max((len(text) for text in self._words_of(slot)), default=0) * LETTER * self._line
            if slot.face.hollow:
                # its words stand beside it and lower than the open crests that follow
                self._lay_out_riser(slot)
                slot.middle = x + slot.shown / 2
                x += slot.shown + gap
                written = x + words
            elif slot.face.opens:
                slot.middle = x + slot.shown / 2
                x += slot.shown
            else:
                slot.middle = x + max(slot.shown, words) / 2
                x += max(slot.shown, words)
            x += gap
        return max(x, written)

    def _lay_out_riser(self, riser: _Slot) -> None:
        """Place what is inside a riser across it: side by side where two lie at the same height."""
        # of those at one height each has a column of its own
        columns: list[float] = []
        rows = sorted(riser.inside, key=lambda slot: slot.face.low)
        numbers = []
        for slot in rows:
            slot.shown = min(slot.face.width, BROKEN * self._height)
            number = next((n for n, high in enumerate(columns) if slot.face.low >= high - 1e-9), len(columns))
            if number == len(columns):
                columns.append(slot.face.high)
            else:
                columns[number] = slot.face.high
            numbers.append(number)
            if slot.face.hollow:
                self._lay_out_riser(slot)
        for slot, number in zip(rows, numbers, strict=True):
            slot.middle = riser.shown * ((number + 0.5) / len(columns) - 0.5)

    def _words_of(self, slot: _Slot) -> list[str]:
        """The names with sizes of a device and of what is in it."""
        own = _within(slot) if slot.face.hollow else [slot]
        return [line for one in own for line in self._told(one).split("\n")]

    def _told(self, slot: _Slot) -> str:
        """A device with its size in words, in two lines."""
        face, device = slot.face, slot.device
        if face.circle is not None:
            sizes = [2 * face.circle[1]]
        elif face.width and face.opens:
            sizes = [face.width if face.hollow else _at_crest(face)]
        else:
            sizes = [face.width, face.high - face.low] if face.width else []
        off = ", closed" if device.closed else ""
        return f"{device.sign}{off}\n{self._sizes(sizes)}".rstrip()

    def _sizes(self, sizes: Sequence[float]) -> str:
        """Sizes in one unit: those below a metre in the small one in which they are built."""
        unit = ("m" if max(sizes, default=0) >= 1 else "mm") if self._system == "SI" else (
            "ft" if max(sizes, default=0) >= 3 * units.FOOT else "in")  # fmt: skip
        shown = (f"{units.to_unit(size, unit, 'length'):.4g}" for size in sizes)
        return f"{' × '.join(shown)} {unit}" if sizes else ""

    def _draw_wall(self) -> None:
        top, low, left, right = self._store.top, self._frame_low, self._wall + self._margin, self._width - self._margin
        crests = [s for s in self._slots if s.face.opens and not s.face.hollow and not s.device.closed]
        edge: list[Place] = [(left, top)]
        for slot in sorted(crests, key=lambda one: one.middle):
            edge += [(self._wall + slot.middle + x, z) for x, z in self._shown(slot)]
        ground = (*edge, (right, top), (right, low), (left, low))
        self._shapes.append(Outline(ground, "loss", closed=True, filled=0.16, width=0.0))
        self._shapes.append(Outline((*edge, (right, top)), "ink", width=1.4))
        if self._level is not None and self._level > self._store.floor:
            z, base = self._level, self._store.floor
            water = ((left, base), (right, base), (right, z), (left, z))
            self._shapes.append(Outline(water, "water", closed=True, filled=0.12, width=0.0))
            self._shapes.append(Outline(((left, z), (right, z)), "water", width=1.8))
        self._shapes.append(Outline(((left, self._store.floor), (right, self._store.floor)), "quiet", width=0.8))
        for slot in self._slots:
            self._draw_device(slot, self._wall + slot.middle)

    def _shown(self, slot: _Slot) -> list[Place]:
        """The outline of a device about its middle, as wide as it is shown."""
        if not slot.face.width:
            return []
        squeeze = slot.shown / slot.face.width
        return [(x * squeeze, z) for x, z in slot.face.outline]

    def _draw_device(self, slot: _Slot, x: float) -> None:
        """One device at a place across, with what is in it, its words and its grips."""
        face, device = slot.face, slot.device
        role: Role = "quiet" if device.closed else "ink"
        style: Style = "dotted" if device.closed else "solid"
        squeeze = slot.shown / face.width if face.width else 1.0
        holder = f"devices/{slot.number}"
        if face.hollow:
            self._draw_shaft(slot, x)
        elif face.circle is not None:
            self._shapes.append(Circle((x, face.circle[0]), face.circle[1], role, 0.0, style, 1.6))
        elif face.outline:
            outline = tuple((x + across, z) for across, z in self._shown(slot))
            if not face.opens:
                self._shapes.append(Outline(outline, role, closed=True, style=style, width=1.6))
            elif device.closed or device.inside:
                self._shapes.append(Outline(outline, role, style=style, width=1.6))
            if slot.broken:
                self._draw_break(x, face)
        for z, words in face.marks:
            half = 1.2 * self._line
            self._shapes.append(Outline(((x - half, z), (x + half, z)), role, style="dashed", width=1.4))
            text = f"{device.sign} {words} {units.show(z, 'height', self._system, digits=5)}"
            self._shapes.append(Note((x - half, z), text, role, above=True))
        for part in face.parts:
            self._draw_part(part, x, role)
            self._grips += [PlacedGrip(holder, grip, (x + grip.at[0], grip.at[1])) for grip in part.grips]
        half = max(slot.shown / 2, 0.5 * self._line)
        low, high = face.low, max(face.high, face.low + 0.3 * self._line)
        box = (x - half, low, x + half, high)
        self._placed.append(PlacedDevice(slot.number, device.name, device.inside, box, face.moved, face.hollow))
        for grip in face.grips:
            at = x + grip.at[0] * squeeze, grip.at[1]
            factor = 1 / squeeze if grip.axis == "across" else 1.0
            self._grips.append(PlacedGrip(holder, grip, at, factor))
        for one in slot.inside:
            self._draw_device(one, x + one.middle)
        if not device.inside:
            self._write(slot, x)

    def _draw_shaft(self, slot: _Slot, x: float) -> None:
        """A riser: its shaft cut open, with the level in it."""
        face, device = slot.face, slot.device
        role: Role = "quiet" if device.closed else "ink"
        half, low, crest = slot.shown / 2, face.low, face.high
        box = ((x - half, low), (x + half, low), (x + half, crest), (x - half, crest))
        self._shapes.append(Outline(box, "paper", closed=True, filled=0.75, width=0.0))
        within = self._inside.get(device.name)
        if within is not None and within > low and self._level is not None:
            z = min(within, max(self._level, low))
            wet = ((x - half, low), (x + half, low), (x + half, z), (x - half, z))
            self._shapes.append(Outline(wet, "water", closed=True, filled=0.45, width=0.0))
            self._shapes.append(Outline(((x - half, z), (x + half, z)), "water", width=2.2))
        sides = ((x - half, crest), (x - half, low), (x + half, low), (x + half, crest))
        self._shapes.append(Outline(sides, role, style="dotted" if device.closed else "solid", width=2.2))

    def _draw_part(self, face: Face, x: float, role: Role) -> None:
        """What a device holds, as the pipe of a riser: behind it, so dashed."""
        if face.circle is not None:
            self._shapes.append(Circle((x, face.circle[0]), face.circle[1], role, 0.0, "dashed", 1.2))
        else:
            outline = tuple((x + across, z) for across, z in face.outline)
            self._shapes.append(Outline(outline, role, closed=True, style="dashed"))

    def _draw_break(self, x: float, face: Face) -> None:
        """The mark of a device that is wider than what is shown of it."""
        z, rise, run = face.low, 0.35 * self._line, 0.2 * self._line
        for offset in (-run, run):
            at = x + offset
            places = ((at - run / 2, z - rise), (at + run / 2, z + rise))
            self._shapes.append(Outline(places, "ink"))

    def _write(self, slot: _Slot, x: float) -> None:
        """Names and sizes beside a device and those in it, one line under the other, with a lead to each."""
        if not slot.face.hollow:
            if slot.face.marks:
                return
            up = self._store.top if slot.face.opens else slot.face.high
            up += 0.3 * self._line
            role: Role = "quiet" if slot.device.closed else "ink"
            lines = self._told(slot).count("\n")
            self._note((x, up + (lines + 0.6) * self._line), self._told(slot), role, side="middle")
            return
        below = x, slot.face.low - 0.8 * self._line
        self._note(below, self._told(slot), "quiet" if slot.device.closed else "ink", side="middle")
        named = _within(slot)
        wanted = [0.5 * (one.face.low + one.face.high) for one in named]
        order = sorted(range(len(named)), key=lambda n: wanted[n])
        heights = dict(zip(order, _apart([wanted[n] for n in order], 2.2 * self._line), strict=True))
        edge = x + slot.shown / 2 + 0.5 * self._line
        for number, one in enumerate(named):
            z, role = heights[number], "quiet" if one.device.closed else "ink"
            near = x + self._offset(slot, one) + one.shown / 2
            self._shapes.append(Outline(((near, wanted[number]), (edge, z)), "quiet", width=0.7))
            self._note((edge + 0.2 * self._line, z + 0.5 * self._line), self._told(one), role)

    def _note(self, at: Place, text: str, role: Role, side: Side = "right") -> None:
        """Words of several lines from a place down."""
        for number, line in enumerate(text.split("\n")):
            self._shapes.append(Note((at[0], at[1] - number * self._line), line, role, side))

    @staticmethod
    def _offset(riser: _Slot, one: _Slot) -> float:
        """Place of a device in a riser about the middle of that."""
        waiting = [(inner, inner.middle) for inner in riser.inside]
        while waiting:
            inner, at = waiting.pop()
            if inner is one:
                return at
            waiting += [(deeper, at + deeper.middle) for deeper in inner.inside]
        return 0.0

    def _draw_lines(self) -> None:
        """The levels across, their words at the right end of the section, apart from each other."""
        floor, top = self._store.floor, self._store.top
        ends = [LevelLine(z, f"{words} {units.show(z, 'height', self._system, digits=5)}", style="solid")
                for z, words in ((floor, "floor"), (top, "top"))]  # fmt: skip
        known = sorted([*ends, *self._lines], key=lambda line: line.level)
        heights = _apart([line.level for line in known], 1.05 * self._line)
        left, right = self._margin, self._section - self._margin
        for line, z in zip(known, heights, strict=True):
            if line.style != "solid":
                for begin, end in ((left, right), (self._wall + left, self._width - left)):
                    places = (begin, line.level), (end, line.level)
                    self._shapes.append(Outline(places, line.role, style=line.style, width=1.0))
            begin, end = right, self._section + 0.9 * self._line
            self._shapes.append(Outline(((begin, line.level), (end, z)), line.role, width=0.7))
            self._shapes.append(Note((end + 0.2 * self._line, z), line.text, line.role))


def _within(riser: _Slot) -> list[_Slot]:
    return [one for inner in riser.inside for one in (inner, *_within(inner))]


def _at_crest(face: Face) -> float:
    """Length of an open crest at its lowest level, m."""
    crest = [x for x, z in face.outline if z <= face.low + 1e-9]
    return max(crest) - min(crest)


def _apart(wanted: Sequence[float], gap: float) -> list[float]:
    """Rising heights near those that are wanted, at least a gap from each other."""
    found: list[float] = []
    for height in wanted:
        found.append(max(height, found[-1] + gap) if found else height)
    # what was pushed up too far is shared out among those below
    shift = 0.5 * (found[-1] - wanted[-1]) if found else 0.0
    return [height - shift for height in found] if shift > 0 and len(found) > 1 else found


__all__ = ["LevelLine", "PlacedDevice", "PlacedGrip", "PondSection", "pond_section"]
