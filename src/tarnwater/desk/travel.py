"""Unit hydrographs from travel times, measured in a thread."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tarnwater.desk.desk import Desk
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment

if TYPE_CHECKING:
    from tarnwater.runoff.transforms import TravelTimeUnitHydrograph
    from tarnwater.study.edits.travel_times import Place


def use_travel_times(desk: Desk) -> None:
    """Give the selected catchments unit hydrographs of their travel times over the ground, as one act."""
    from tarnwater.study.edits.travel_times import measured_units, take_travel_times

    drainage = desk.ground.drainage
    places = [one for one in desk.with_scopes(desk.chosen) if isinstance(desk.elements.get(one[1]), Catchment)]
    if drainage is None or not places:
        desk.told.emit("Select a catchment that lies on the terrain.")
        return
    study, blobs = desk.study, desk.file.blobs

    def done(found: dict[Place, TravelTimeUnitHydrograph]) -> None:
        if desk.do(take_travel_times, found, **desk.stamp()):
            desk.say("The unit hydrograph follows the travel times over the ground.")

    def failed(error: BaseException) -> None:
        if isinstance(error, TarnwaterError):
            desk.fault(error)
        else:
            desk.fault(error)

    desk.aside.run(lambda p: measured_units(study, blobs, drainage, places, p), done, failed, "Following the water")
