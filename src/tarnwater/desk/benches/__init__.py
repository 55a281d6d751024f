"""The benches in working order. One that does not exist yet is not here, and so not on the course bar."""

from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.cases import CasesBench
from tarnwater.desk.benches.ground import GroundBench
from tarnwater.desk.benches.rain import RainBench
from tarnwater.desk.benches.runoff import RunoffBench

BENCHES: tuple[type[Bench], ...] = (GroundBench, RainBench, RunoffBench, CasesBench)

__all__ = ["BENCHES", "Bench"]
