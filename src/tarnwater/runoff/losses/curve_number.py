"""Curve number loss (NRCS National Engineering Handbook, Part 630, Chapters 9 and 10)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, TypeVar, get_args

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import Setting, option, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import DAY, by_case
from tarnwater.runoff.losses.recovery import Recovering
from tarnwater.runoff.retention import retention
from tarnwater.states import State

HANDBOOK = "NRCS National Engineering Handbook, Part 630, Chapter 10"

#: Source of the formulas for dry and wet antecedent conditions; the handbook only has a table.
ANTECEDENT_SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 5.5"

#: The ratio of initial abstraction to retention for which curve number tables are made.
TABLED_RATIO = 0.2

AntecedentCondition = Literal["dry", "average", "wet"]

V = TypeVar("V", float, Floats)


def antecedent_curve_number(curve_number: V, condition: AntecedentCondition) -> V:
    """Curve number in a dry or wet antecedent condition from that in the average one.

    CN_I = 4.2 CN / (10 - 0.058 CN), CN_III = 23 CN / (10 + 0.13 CN), Chow, Maidment and Mays (1988),
    Applied Hydrology, Section 5.5.

    >>> round(antecedent_curve_number(75, "wet"), 2), antecedent_curve_number(100, "dry")
    (87.34, 100.0)
    """
    match condition:
        case "dry":
            return 4200 * curve_number / (10_000 - 58 * curve_number)
        case "wet":
            return 2300 * curve_number / (1000 + 13 * curve_number)
    return curve_number


def initial_abstraction(retention_depth: V, ratio: float) -> V:
    """Initial abstraction Ia = lambda S, mm."""
    return ratio * retention_depth


def excess_of_total(rain: Floats, retention_depth: Floats, abstraction: Floats) -> Floats:
    """Runoff depth of a total rain, mm: (P - Ia)^2 / (P - Ia + S) where P > Ia, else 0.

    Arrays broadcast; at CN 100 without rain the answer is 0.
    """
    above = np.maximum(rain - abstraction, 0.0)
    whole = above + retention_depth
    found: Floats = np.divide(above * above, whole, out=np.zeros(np.broadcast(above, whole).shape), where=whole > 0)
    return found


def loss_of_total(rain: Floats, retention_depth: Floats, abstraction: Floats) -> Floats:
    """Depth kept of a total rain, mm: the abstraction, then S (P - Ia) / (P - Ia + S)."""
    above = np.maximum(rain - abstraction, 0.0)
    whole = above + retention_depth
    kept = np.divide(retention_depth * above, whole, out=np.zeros_like(whole), where=whole > 0)
    return np.minimum(rain, abstraction) + kept


def curve_number_for_ratio(curve_number: float) -> float:
    """Curve number for lambda 0.05 from one tabled for 0.2.

    S05 = 1.33 S20^1.15 in inches (Hawkins, Jiang, Woodward, Hjelmfelt and Van Mullem 2002).
    """
    inches = retention(curve_number) / 25.4
    return float(1000.0 / (10.0 + 1.33 * inches**1.15))


class CurveNumber(Recovering):
    """Curve number loss of one surface.

    The excess of a step is the difference of the runoff depths of the rain before and after it. With recovery the
    remaining retention S + Ia − F grows in dry spells, F the depth that was kept.
    """

    method: Literal["curve-number"] = "curve-number"
    curve_number: Setting[float] = parameter(
        "curve number",
        "curve number in the average antecedent condition",
        label="curve number",
        symbol="CN",
        least=1,
        most=100,
        usual=(30, 100),
        source="NRCS National Engineering Handbook, Part 630, Chapter 9",
        default=Setting[float](),
    )
    antecedent: AntecedentCondition = option(
        "antecedent moisture condition", lambda: get_args(AntecedentCondition), label="antecedent condition",
        default="average",
    )  # fmt: skip
    ratio: float = parameter(
        "factor",
        "initial abstraction as a share of the retention",
        label="initial abstraction ratio",
        symbol="λ",
        least=0,
        most=1,
        usual=(0.02, 0.3),
        source=HANDBOOK,
        default=TABLED_RATIO,
    )
    tabled_for: float = parameter(
        "factor",
        "the ratio λ for which the curve number holds",
        label="tabulated abstraction ratio",
        symbol="λ0",
        least=0,
        most=1,
        source=HANDBOOK,
        default=TABLED_RATIO,
    )
    abstraction: Setting[float] = parameter(
        "rain",
        "initial abstraction",
        label="initial abstraction",
        symbol="Ia",
        least=0,
        usual=(0, 120),
        source=HANDBOOK,
        default=Setting[float](),
    )

    title: ClassVar[str] = "curve number"
    equation: ClassVar[str] = "Pe = (P − Ia)² / (P − Ia + S), S = 25400/CN − 254, Ia = λ S"
    source: ClassVar[str] = HANDBOOK
    verified: ClassVar[str] = (
        "published runoff depths of the handbook; balance, bounds, batches and cut runs for random "
        "rain; CN 100 without rain"
    )

    number_name: ClassVar[str] = "curve_number"
    of_ground: ClassVar[Mapping[str, str]] = {"curve_number": "curve_number"}
    fits: ClassVar[Mapping[str, tuple[float, float]]] = {"curve_number": (1.0, 100.0)}
    by_case: ClassVar[frozenset[str]] = frozenset({"curve_number", "abstraction"})
    needs: ClassVar[Mapping[str, str]] = {"curve_number": "Type it, or name the cover and the soil group."}

    @property
    def in_condition(self) -> float | None:
        """The curve number in the antecedent condition."""
        value = self.curve_number.value
        return None if value is None else antecedent_curve_number(value, self.antecedent)

    def refreshed(self, ground: Mapping[str, float | None]) -> CurveNumber:
        """A copy with its curve number looked up and its initial abstraction derived again."""
        anew = super().refreshed(ground)
        number = anew.in_condition
        depth = None if number is None else float(initial_abstraction(retention(number), self.ratio))
        return anew.model_copy(update={"abstraction": self.abstraction.with_derived(depth)})

    def respond(
        self,
        rain: Floats,
        step: float,
        state: State = None,
        **values: Floats,
    ) -> Excess:
        """Excess of rain (case, step) in mm; the state is the rain (case,) fallen so far, mm.

        With recovery it is the rain that would have left what is kept, and the dry time in h.
        """
        from tarnwater.runoff import _kernels as kernels

        rain = np.ascontiguousarray(rain, float)
        cases = len(rain)
        curve_number, abstraction = values.get("curve_number"), values.get("abstraction")
        average = by_case(self.curve_number.known, curve_number, cases)
        depth = retention(antecedent_curve_number(average, self.antecedent))
        if abstraction is None:
            typed = self.abstraction.typed_value
            abstraction = initial_abstraction(depth, self.ratio) if typed is None else np.full(cases, typed)
        abstraction = by_case(0.0, abstraction, cases)
        if self.recovers:
            return self._recovering(rain, step, state, depth, abstraction)
        before = np.zeros(cases) if state is None else state
        fallen = before.copy()
        excess = np.empty_like(rain)
        kernels.curve_number_kernel(rain, depth, abstraction, fallen, excess)
        loss = loss_of_total(fallen, depth, abstraction)
        if state is not None:
            loss -= loss_of_total(before, depth, abstraction)
        return Excess(excess, loss, np.zeros(cases), fallen)

    def _recovering(self, rain: Floats, step: float, state: State, depth: Floats, abstraction: Floats) -> Excess:
        from tarnwater.runoff.losses import _kernels as kernels

        cases = len(rain)
        fallen, dry = (np.zeros(cases), np.zeros(cases)) if state is None else (part.copy() for part in state)
        excess, lost = np.empty_like(rain), np.zeros(cases)
        rate, after, below = self.of_dry_time
        kernels.curve_number_recovering(
            rain, step / 3600, depth, abstraction, rate, after, below, fallen, dry, excess, lost
        )
        return Excess(excess, lost, np.zeros(cases), (fallen, dry))

    def runoff_of(self, rain: float, duration: float = DAY) -> float:
        """Runoff depth, mm, of a rain, mm: that of its total, without the compiled steps."""
        depth = retention(antecedent_curve_number(self.curve_number.known, self.antecedent))
        typed = self.abstraction.typed_value
        kept = initial_abstraction(depth, self.ratio) if typed is None else typed
        return float(excess_of_total(*(np.asarray(value, float) for value in (rain, depth, kept))))

    def excess(self, rain: Reckoning, step: float, asked: Asked) -> Derivation:
        """The derivation of the excess: the difference of the runoff depths before and after each step."""
        if self.recovers:
            return super().excess(rain, step, asked)
        inputs = rain, self.retention(asked), asked.own("abstraction")
        return Derivation(self.equation, self.source, inputs, _excess_of_steps)

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The derivation of the initial abstraction, from ratio and retention."""
        if name != "abstraction":
            return None
        inputs = asked.own("ratio"), self.retention(asked)
        return Derivation("Ia = λ S", HANDBOOK, inputs, lambda ratio, depth: initial_abstraction(depth, ratio))

    def retention(self, asked: Asked) -> Reckoning:
        """The reckoning of the potential retention, in the antecedent condition."""
        number = asked.own("curve_number")
        if self.antecedent != "average":
            equation = {"dry": "CN_I = 4.2 CN / (10 − 0.058 CN)", "wet": "CN_III = 23 CN / (10 + 0.13 CN)"}
            number = Reckoning(
                title=f"curve number in the {self.antecedent} antecedent condition",
                value=self.in_condition,
                kind="curve number",
                symbol="CN",
                equation=equation[self.antecedent],
                source=ANTECEDENT_SOURCE,
                inputs=(number,),
                evaluate=lambda average: antecedent_curve_number(average, self.antecedent),
            )
        assert self.in_condition is not None
        return Reckoning(
            title="potential retention",
            value=float(retention(self.in_condition)),
            kind="rain",
            symbol="S",
            equation="S = 25400/CN − 254",
            source=HANDBOOK,
            inputs=(number,),
            evaluate=retention,
        )

    def doubts(self) -> list[Doubtful]:
        """A doubt: lambda changed without converting the curve number."""
        if self.ratio == self.tabled_for:
            return []
        cures = [Cure("Type the curve number for this λ, and say so in “tabled for”.")]
        if self.ratio == 0.05 and self.tabled_for == TABLED_RATIO and self.curve_number.value is not None:
            converted = round(curve_number_for_ratio(self.curve_number.value), 2)
            number = self.curve_number.with_typed(converted, note="converted from λ 0.2")
            new = self.model_copy(update={"curve_number": number, "tabled_for": 0.05})
            cures.insert(0, Cure(f"Convert it: {converted:g} for λ 0.05.", new))
        told = f"λ is {self.ratio:g}, but the curve number holds for λ {self.tabled_for:g}."
        return [Doubtful("ratio-unconverted", "doubt", told, tuple(cures), "ratio")]


def _excess_of_steps(rain: Floats, retention_depth: float, abstraction: float) -> Floats:
    """Excess (step,) mm of the rain (step,) mm of each step."""
    fallen = excess_of_total(np.cumsum(rain), np.asarray(retention_depth), np.asarray(abstraction))
    return np.clip(np.diff(fallen, prepend=0.0), 0.0, rain)
