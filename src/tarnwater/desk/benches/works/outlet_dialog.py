"""A whole outlet for all limits at once, looked at on the bench before it is taken."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.benches.works.trying import TryingDialog
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.network.elements import Pond
from tarnwater.routing.works import Riser
from tarnwater.routing.works.made import made_openings
from tarnwater.study.answers.outlet_proposal import Proposal, Proposing, Wish, take_proposal

HEADS = ("event", "peak", "limit", "in hand", "highest level", "to top")


class OutletDialog(TryingDialog):
    """The riser, the share of each limit, the sizes that are made; what the proposal makes of each event."""

    def __init__(self, parent: QWidget, desk: Desk, key: str, point: str) -> None:
        pond = desk.elements[key]
        assert isinstance(pond, Pond)
        super().__init__(parent, desk, key, f"A whole outlet for {pond.name}", (720, 480))
        self.pond, self.point = pond, point
        self.proposal: Proposal | None = None
        self._home = ""
        self.riser = QComboBox()
        self.riser.setAccessibleName("Riser of the openings")
        for one in pond.devices:
            if isinstance(one, Riser) and one.name:
                self.riser.addItem(f"into {one.name}", one.name)
        self.riser.addItem("lead out on their own", "")
        self.share = QLineEdit("100 %")
        self.share.setAccessibleName("Share of each limit")
        self.share.setFixedWidth(60)
        self.least = QCheckBox("with the least storage")
        self.least.setAccessibleName("With the least storage")
        self.search = QPushButton("Propose")
        self.search.setAccessibleName("Propose an outlet")
        self.search.setDefault(True)
        self.search.clicked.connect(self.propose)
        self.sizes = QLineEdit(", ".join(self._shown_sizes()))
        self.sizes.setAccessibleName("Sizes that are made")
        self.rows = Listing("What the outlet makes of each event", HEADS, right=range(1, len(HEADS)))
        self.devices = Listing("Devices of the outlet", ("device", "form", "sizes"))
        self.ask("openings", self.riser)
        self.ask("of each limit use", self.share)
        self.ask("", self.least)
        self.ask("", self.search)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(Words("diameters that are made", quiet=True))
        column.addWidget(self.sizes)
        column.addWidget(self.devices, 1)
        column.addWidget(self.rows, 1)
        self.lay_out(middle)
        self.wait("Openings and crests are found for each limit from the most frequent up; a spillway for the rest.")

    def _shown_sizes(self) -> list[str]:
        unit = "mm" if self.desk.study.units == "SI" else "in"
        return [f"{units.to_unit(size, unit, 'length'):.4g} {unit}" for size in made_openings(self.desk.study.units)]

    def _wish(self) -> Wish:
        unit = "mm" if self.desk.study.units == "SI" else "in"
        made = tuple(sorted(units.listed(self.sizes.text(), "length", default=unit)))
        if not made or made[0] <= 0:
            raise BadInput("no size is given.", where="sizes that are made", remedy="Write diameters, as 150 mm.")
        share = units.parse(self.share.text(), "share", default="%")
        if not 0 < share <= 1.5:
            raise BadInput("it is no share of a limit.", where=self.share.text(), remedy="Write a share, as 90 %.")
        return Wish(made, share, str(self.riser.currentData() or ""), self.least.isChecked())

    def propose(self) -> None:
        """Work a proposal out in a thread; it is then tried out on everything."""
        self.start_over()
        self.proposal = None
        try:
            if not self.point:
                raise BadInput(
                    "it drains to no design point.", where=self.pond.name, remedy="Make an element below one."
                )
            proposing = Proposing(self.desk.study, self.key, self.point, self.desk.condition, self._wish())
        except TarnwaterError as error:
            self.refuse(error)
            return
        self._home = proposing.home
        self.work_out("Proposing an outlet", proposing.propose, self._show)

    def _show(self, found: Proposal) -> None:
        self.proposal = found
        system, store = self.desk.study.units, found.pond.store
        assert store is not None
        devices = []
        for one in found.devices:
            sized = ", ".join(
                f"{described.label or described.name} {units.show(value, described.kind, system)}"
                for name, described in one.quantities()
                if name in ("bottom", "crest", "diameter", "length") and isinstance(value := getattr(one, name), float)
            )
            devices.append([one.sign, one.title, sized])
        self.devices.show_rows(devices)
        rows = []
        flow = units.display_unit("flow", [kept.peak for kept in found.kept], system)
        for kept in found.kept:
            hand = "" if not kept.limit else units.show(1 - kept.peak / kept.limit, "share", digits=3)
            limit = "" if kept.limit is None else units.show(kept.limit, "flow", unit=flow)
            rows.append([
                f"1 in {kept.event:g}", units.show(kept.peak, "flow", unit=flow), limit, hand,
                units.show(kept.level, "height", system, digits=5),
                units.show(store.top - kept.level, "length", system),
            ])  # fmt: skip
        self.rows.show_rows(rows)
        plan = "" if found.plan == 1.0 else f" The plan of the storage times {found.plan:.3g}."
        self.ready(f"All limits are kept.{plan} The bench shows it; the works as they are stand behind it.")
        self.desk.try_out(take_proposal, self.key, found, condition=self._home)

    def keep(self) -> None:
        """Take the outlet into the study."""
        if self.proposal is None:
            return
        stamp = self.desk.stamp("proposed for all limits")
        if self.desk.do(take_proposal, self.key, self.proposal, condition=self._home, **stamp):
            self.accept()
