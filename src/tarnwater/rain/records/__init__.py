"""Records of gauges: their faults and remedies, their greatest values, and the events in them."""

from tarnwater.rain.records.record import Quantity, Record, moment_of

__all__ = ["Quantity", "Record", "moment_of"]
