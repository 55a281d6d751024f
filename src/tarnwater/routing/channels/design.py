"""Channels designed: one unknown from the others, and the section that a velocity allows."""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np

from tarnwater.errors import BadInput, UnknownName
from tarnwater.routing.channels.section import Section, UniformFlow
from tarnwater.routing.channels.shapes import OfOneRoughness, Trapezoid
from tarnwater.units import Quantity

#: Share of a size to which one is found.
CLOSE = 1e-10

SOURCE = "Fortier and Scobey (1926), as tabulated in Chow (1959), Open-Channel Hydraulics"


@dataclass(frozen=True)
class Ground:
    """The ground of an unlined channel: its roughness, and the greatest mean velocity that does not scour it, m/s.

    ``silty`` is that of water which carries fine silt.
    """

    name: str
    roughness: float
    clear: float
    silty: float


@cache
def grounds() -> dict[str, Ground]:
    """The grounds by name (Fortier and Scobey 1926, as tabulated in Chow 1959)."""
    text = resources.files(__package__).joinpath("limiting_velocities.csv").read_text()
    rows = csv.DictReader(line for line in text.splitlines() if not line.startswith("#"))
    found = (
        Ground(
            row["material"], float(row["manning_n"]), float(row["clear_water_m_per_s"]),
            float(row["silty_water_m_per_s"]),
        )
        for row in rows
    )  # fmt: skip
    return {one.name: one for one in found}


def ground_named(name: str) -> Ground:
    """A ground by its name, whatever its case; `UnknownName` with the nearest."""
    by_name = {known.casefold(): one for known, one in grounds().items()}
    if name.casefold() not in by_name:
        raise UnknownName(name, grounds(), kind="ground")
    return by_name[name.casefold()]


@dataclass(frozen=True)
class ChannelCheck:
    """Uniform flow in a channel, the height (m) from its surface to the banks, and the velocity (m/s) that is allowed.

    ``allowed`` is None where no ground says it.
    """

    uniform: UniformFlow
    freeboard: float
    allowed: float | None

    @property
    def scours(self) -> bool:
        """Whether the velocity is above what the ground allows."""
        return self.allowed is not None and self.uniform.velocity > self.allowed * (1 + 1e-9)

    @property
    def spills(self) -> bool:
        """Whether the water stands above the banks, or a pipe cannot carry it."""
        return not self.freeboard >= 0


def checked_channel(section: Section, flow: float, slope: float, allowed: float | None = None) -> ChannelCheck:
    """A section with a flow (m3/s) on a slope."""
    uniform = section.at_flow(flow, slope)
    return ChannelCheck(uniform, section.depth - uniform.depth, allowed)


def slope_for(section: Section, flow: float, depth: float) -> float:
    """The slope on which a flow (m3/s) is uniform at a depth (m): S = (Q / K)²."""
    conveyance = float(section.conveyance(np.array(depth)))
    if conveyance <= 0:
        raise BadInput("there is no water in it.", where="depth", remedy="Give a depth above zero.")
    return (flow / conveyance) ** 2


def roughness_for(section: OfOneRoughness, flow: float, slope: float, depth: float) -> float:
    """The roughness with which a flow (m3/s) is uniform at a depth (m) on a slope; n grows in proportion to K."""
    return float(section.roughness * section.normal_flow(np.array(depth), slope) / flow)


def size_for(section: Section, field: str, flow: float, slope: float, depth: float, low: float, high: float) -> float:
    """One size of a section with which a flow (m3/s) is uniform at a depth (m) on a slope.

    Raises `BadInput` where none between two bounds carries it so, with what they carry.
    """
    from scipy.optimize import brentq

    def carried(size: float) -> float:
        found = section.model_copy(update={field: size})
        return float(found.normal_flow(np.array(depth), slope))

    least, most = carried(low), carried(high)
    if not min(least, most) <= flow <= max(least, most):
        raise BadInput(
            f"no {field.replace('_', ' ')} between the bounds carries {{}} at this depth: they carry {{}} and {{}}.",
            values=[Quantity(value, "flow", 4) for value in (flow, least, most)], where=section.title,
            remedy="Give other bounds, another depth or another slope.",
        )  # fmt: skip
    return float(brentq(lambda size: carried(size) - flow, low, high, rtol=CLOSE, xtol=1e-12))


def solved(
    section: Section, unknown: str, flow: float, slope: float, depth: float | None, velocity: float | None
) -> tuple[Section, float]:
    """A section and its slope with one unknown found for a flow (m3/s).

    The unknown is ``slope``, ``roughness`` or a size of the section, at a ``depth`` (m), or ``width-and-depth`` of a
    trapezoid for a ``velocity`` (m/s). Raises `BadInput` for what cannot be solved.
    """
    if unknown == "width-and-depth":
        if velocity is None or not isinstance(section, Trapezoid):
            raise BadInput(
                "width and depth are found together for a trapezoid in a ground.", where=section.title,
                remedy="Name the ground, or solve another unknown.",
            )  # fmt: skip
        return trapezoid_for_velocity(flow, slope, section.roughness, section.side_slope, velocity), slope
    if depth is None:
        raise BadInput("the depth is missing.", where=unknown, remedy="Give the depth at which the flow passes.")
    if unknown == "slope":
        return section, slope_for(section, flow, depth)
    described = dict(section.quantities()).get(unknown)
    if described is None or not isinstance(getattr(section, unknown), float):
        sizes = [name for name, _ in section.quantities() if isinstance(getattr(section, name), float)]
        raise UnknownName(unknown, ["slope", *sizes, "width-and-depth"], kind="unknown", where=section.title)
    if unknown == "roughness" and isinstance(section, OfOneRoughness):
        return section.model_copy(update={"roughness": roughness_for(section, flow, slope, depth)}), slope
    low, high = described.usual or (0.0, 1e3)
    size = size_for(section, unknown, flow, slope, depth, 0.1 * low, 10 * high)
    return section.model_copy(update={unknown: size}), slope


def trapezoid_for_velocity(
    flow: float, slope: float, roughness: float, side_slope: float, velocity: float
) -> Trapezoid:
    """The trapezoid in which a flow (m3/s) is uniform with a velocity (m/s): bottom width and depth together.

    From A = Q / V and R = (V n / √S)^1.5 follow P = A / R, and with k = 2 √(1 + m²) − m the depth as the lesser root of
    k y² − P y + A = 0, which is the wide and shallow section. Its banks are at that depth.

    Raises `BadInput` where no section is so fast: the best of its kind is slower.
    """
    area, radius = flow / velocity, (velocity * roughness / np.sqrt(slope)) ** 1.5
    wetted, k = area / radius, 2 * np.sqrt(1 + side_slope**2) - side_slope
    root = wetted**2 - 4 * k * area
    if root < 0:
        fastest = fastest_trapezoid(flow, slope, roughness, side_slope)
        raise BadInput(
            "no trapezoid carries {} at {}: the fastest has {}.",
            values=(Quantity(flow, "flow", 4), Quantity(velocity, "speed", 4), Quantity(fastest, "speed", 4)),
            where="velocity", remedy="The flow is below the limit in any section: choose the depth instead.",
        )  # fmt: skip
    depth = float((wetted - np.sqrt(root)) / (2 * k))
    return Trapezoid(
        bottom_width=max(area / depth - side_slope * depth, 0.0), side_slope=side_slope, bank_height=depth,
        roughness=roughness,
    )  # fmt: skip


def fastest_trapezoid(flow: float, slope: float, roughness: float, side_slope: float) -> float:
    """The greatest velocity (m/s) of a flow (m3/s) in a trapezoid of side slopes: that of the least wetted perimeter.

    There P = 2 √(k A), so R = √(A / k) / 2, and Manning's equation gives the area.
    """
    k = 2 * np.sqrt(1 + side_slope**2) - side_slope
    area = float((flow * roughness / np.sqrt(slope) * (2 * np.sqrt(k)) ** (2 / 3)) ** 0.75)
    return flow / area


__all__ = [
    "ChannelCheck", "Ground", "checked_channel", "fastest_trapezoid", "ground_named", "grounds",
    "roughness_for", "size_for", "slope_for", "solved", "trapezoid_for_velocity",
]  # fmt: skip
