"""Green-Ampt infiltration under rain of any course."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import Loss, by_case
from tarnwater.states import State

SOURCE = "Green and Ampt (1911); Mein and Larson (1973), WRR 9; Chow, Maidment and Mays (1988), Chapter 4"

#: Source of the parameters of soil textures.
TEXTURES = "Rawls, Brakensiek and Miller (1983), Journal of Hydraulic Engineering 109(1), by the soil texture"


class GreenAmpt(Loss):
    """A wetting front: capacity K (1 + ψ Δθ / F), F the infiltrated depth, Δθ = (1 − se) θe.

    ``saturation`` is the effective one at the start, between the residual water content (0) and the filled pores (1).
    Suction, conductivity and effective porosity follow from the soil texture where they are not typed.
    """

    method: Literal["green-ampt"] = "green-ampt"
    conductivity: Setting[float] = parameter(
        "rain rate", "hydraulic conductivity of the wetted soil", label="hydraulic conductivity", symbol="K", above=0,
        most=5000, usual=(0.1, 300), source=TEXTURES, default=Setting[float](),
    )  # fmt: skip
    suction: Setting[float] = parameter(
        "rain", "suction head at the wetting front", label="suction head", symbol="ψ", least=0, most=20_000,
        usual=(10, 1500), source=TEXTURES, default=Setting[float](),
    )  # fmt: skip
    porosity: Setting[float] = parameter(
        "factor", "effective porosity", label="effective porosity", symbol="θe", least=0, most=1, usual=(0.1, 0.6),
        source=TEXTURES, default=Setting[float](),
    )  # fmt: skip
    saturation: float = parameter(
        "share", "effective saturation at the start", label="effective saturation", symbol="se", least=0, most=1,
        source=SOURCE, default=0.3,
    )  # fmt: skip

    title: ClassVar[str] = "Green-Ampt infiltration"
    equation: ClassVar[str] = "F − ψ Δθ ln(1 + F / (ψ Δθ)) = K t from ponding on, Pe = P − ΔF"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "published examples under ponding and of the time to ponding; a fine-step solution of random rain at several "
        "steps; balance, batches and cut runs"
    )

    fits: ClassVar[Mapping[str, tuple[float, float]]] = {"conductivity": (1e-3, 300.0)}
    by_case: ClassVar[frozenset[str]] = frozenset({"conductivity", "suction", "porosity", "saturation"})
    needs: ClassVar[Mapping[str, str]] = dict.fromkeys(
        ("conductivity", "suction", "porosity"), "Type it, or choose the soil texture of the surface."
    )

    tires: ClassVar[bool] = True

    #: Of the ground: its parameters by the names under which a texture gives them.
    of_ground: ClassVar[Mapping[str, str]] = {
        "conductivity": "conductivity", "suction": "suction_head", "porosity": "effective_porosity"
    }  # fmt: skip

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Conductivity, suction and porosity from the soil texture of the surface."""
        if name not in self.of_ground:
            return None
        value = getattr(self, name).derived
        symbol = dict(self.quantities())[name].symbol
        return Derivation(f"{symbol} by the soil texture of the surface", TEXTURES, (), lambda: value)

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm; the state is the infiltrated depth (case,) in mm."""
        from tarnwater.runoff.losses import _kernels as kernels

        rain = np.ascontiguousarray(rain, float)
        cases = len(rain)
        k, suction, porosity = (
            by_case(getattr(self, name).known, values.get(name), cases)
            for name in ("conductivity", "suction", "porosity")
        )
        head = suction * (1 - by_case(self.saturation, values.get("saturation"), cases)) * porosity
        depth = np.zeros(cases) if state is None else state.copy()
        excess, lost = np.empty_like(rain), np.zeros(cases)
        kernels.green_ampt(rain, step / 3600, k, head, depth, excess, lost)
        return Excess(excess, lost, np.zeros(cases), depth)
