"""The page of pipes and culverts: both headwaters, the size that is made next, and the road over it."""

from __future__ import annotations

from typing import Any

from tarnwater.brief.channel_tables import culverts_table
from tarnwater.brief.text_table import TextTable
from tarnwater.desk.benches.works.design_page import DesignPage
from tarnwater.desk.benches.works.inlet_dialog import InletDialog
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.routing.works.culvert_design import sized_culvert
from tarnwater.routing.works.made import made_pipes
from tarnwater.study.answers.channel_table import CulvertRow, culvert_rows, road_of
from tarnwater.study.document.works import CulvertWorks
from tarnwater.study.pictures.channel import culvert_drawing, culvert_plot


class CulvertsPage(DesignPage):
    """Pipes and culverts that are sized."""

    kind = "culverts"
    word = "culvert"
    empty = (
        "Pipes and culverts appear here, with the flow of the case that governs them: headwater by inlet and by "
        "outlet, and what flows over the road. Select the element whose flow one carries, and add it."
    )

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self._button("pipes for inlet areas …", "Pipes for inlet areas", self.add_inlet_pipes)
        self.sizing = self._button("next size that is made", "Find the size that is made", self.take_made_size)

    def find_rows(self) -> list[Any]:
        """All pipes and culverts."""
        return list(culvert_rows(self.desk.study, self.desk.results))

    def table_of(self, rows: list[Any]) -> TextTable:
        """Their table."""
        return culverts_table(self.desk.study, rows)

    def key_of(self, row: Any) -> str:
        """Its key."""
        return str(row.key)

    def show_row(self, row: Any) -> None:
        """Along its barrel, and its headwater by flow."""
        assert isinstance(row, CulvertRow)
        self.drawing.show_drawing(culvert_drawing(self.desk.study, row))
        self.plot.show_plot(culvert_plot(self.desk.study, row))

    def made(self, name: str) -> CulvertWorks:
        """A pipe for the selected element."""
        return CulvertWorks(name=name, element=self.carried)

    def add_inlet_pipes(self) -> None:
        """Size a pipe for each of several catchments."""
        InletDialog(self, self.desk).open()

    def take_made_size(self) -> None:
        """Find the smallest made size, with the fewest barrels, for the allowed headwater, and take it."""
        works, row = self.works, self.row
        if not isinstance(works, CulvertWorks) or not isinstance(row, CulvertRow):
            self._tell("Choose a culvert first.")
            return
        try:
            if row.carried is None:
                raise BadInput("its flow is unknown.", where=works.name, remedy="Type it, or compute a storm first.")
            if works.headwater.value is None:
                raise BadInput("the allowed headwater is missing.", where=works.name, remedy="Type it.")
            found = sized_culvert(
                works.barrel,
                row.carried.flow,
                works.headwater.value,
                works.tailwater.value,
                road_of(works),
                made_pipes(self.desk.study.units),
            )
        except TarnwaterError as error:
            error.in_units(self.desk.study.units)
            self._tell(str(error))
            return
        self._tell("")
        self.set_values((("barrel", found),), "the next size that is made")
