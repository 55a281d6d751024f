"""The loss of a surface fitted to another over the storms of the study."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QStandardItemModel
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.answers import keep_or_leave
from tarnwater.desk.widgets.labels import Words, as_hint
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.progress import Progress
from tarnwater.runoff.losses import Loss, LossFit, fit_loss
from tarnwater.study.answers.fitting import storms_of_fit
from tarnwater.study.edits.fitted_loss import candidates, take_fit

HEADS = ("storm", "rain", "runoff", "fitted", "misfit", "peak", "fitted", "misfit")


class FitDialog(QDialog):
    """Which surface, which loss in the place of its own, the misfit in each storm, and a button that takes it."""

    def __init__(self, parent: QWidget, desk: Desk, key: str) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._desk, self._key = desk, key
        element = desk.elements[key]
        assert isinstance(element, Catchment)
        self.element = element
        self.setWindowTitle(f"Fit a loss of {element.name} to its present one")
        self.resize(760, 520)
        self.made: tuple[Loss, LossFit] | None = None
        self._work: Progress | None = None
        self.surface, self.target = QComboBox(), QComboBox()
        self.surface.setAccessibleName("Surface whose loss is fitted")
        self.target.setAccessibleName("Loss that is fitted")
        for number, one in enumerate(element.surfaces):
            self.surface.addItem(f"{one.name or f'surface {number + 1}'}: {one.loss.title}", number)
        self.surface.activated.connect(lambda _: self._offer())
        self.target.activated.connect(lambda _: self._fit())
        self.rows = Listing("Misfit of each storm", HEADS, right=range(1, len(HEADS)))
        self.told = Words("", size=8.5)
        self.told.setWordWrap(True)
        self.buttons = keep_or_leave(self, "Use it")
        self.take = next(b for b in self.buttons.findChildren(QPushButton) if b.text() == "Use it")
        self.finished.connect(lambda _: self._stop())
        top = QHBoxLayout()
        for words, box in (("Fit to", self.surface), ("the loss", self.target)):
            top.addWidget(Words(words, quiet=True))
            top.addWidget(box)
        top.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.rows, 1)
        layout.addWidget(self.told)
        layout.addWidget(self.buttons)
        self._offer()

    @property
    def row(self) -> int:
        """Position of the surface."""
        return int(self.surface.currentData() or 0)

    def _offer(self) -> None:
        """The losses that can be fitted in the place of the present one."""
        self.target.clear()
        model = self.target.model()
        assert isinstance(model, QStandardItemModel)
        offered = candidates(self.element.surfaces[self.row])
        for one in sorted(offered, key=lambda one: (len(one.lacks), len(one.loss.fits))):
            lacking = f": {one.lacks[0].what}" if one.lacks else ""
            self.target.addItem(f"{one.loss.title}{lacking}", one.loss)
            if one.lacks and (item := model.item(self.target.count() - 1)) is not None:
                item.setEnabled(False)
                item.setToolTip(as_hint(one.lacks[0].advice))
        self._fit()

    def _stop(self) -> None:
        if self._work is not None:
            self._desk.aside.cancel(self._work)
            self._work = None

    def _fit(self) -> None:
        """Fit in a thread, and show what comes of it."""
        self._stop()
        self.made = None
        self.take.setEnabled(False)
        self.rows.show_rows([])
        desk, target, other = self._desk, self.target.currentData(), self.element.surfaces[self.row].loss
        results, view = desk.results, desk.view
        if target is None or results is None or view is None:
            self.told.setText("There is nothing to fit: compute a storm first.")
            return
        self.told.setText("Fitting …")
        key, condition = self._key, view.condition

        def work(_: Progress) -> tuple[Loss, LossFit] | TarnwaterError:
            try:
                return fit_loss(target, other, storms_of_fit(results, key, condition))
            except TarnwaterError as error:
                return error

        def done(found: tuple[Loss, LossFit] | TarnwaterError) -> None:
            self._work = None
            if isinstance(found, TarnwaterError):
                self.told.setText(str(found))
            else:
                self._show(*found)

        self._work = desk.aside.run(work, done, desk.fault, "Fitting a loss")

    def _show(self, loss: Loss, fit: LossFit) -> None:
        self.made = loss, fit
        system = self._desk.study.units
        deep = units.display_unit("rain", [one.depth for one in fit.storms], system)
        fast = units.display_unit("flow", [one.peak for one in fit.storms], system)

        def rain(depth: float) -> str:
            return units.rounded(units.to_unit(depth, deep, "rain"))

        def flow(peak: float) -> str:
            return units.rounded(units.to_unit(peak, fast, "flow"))

        rows = [
            (
                one.name, rain(one.depth), rain(one.runoff), rain(one.fitted_runoff), _share(one.misfit),
                flow(one.peak), flow(one.fitted_peak), _share(one.peak_misfit),
            )
            for one in fit.storms
        ]  # fmt: skip
        heads = (f"rain, {deep}", f"runoff, {deep}", "fitted", "misfit", f"peak, {fast}", "fitted", "misfit")
        self.rows.set_heads(["storm", *heads])
        self.rows.show_rows(rows)
        described = dict(loss.quantities())
        found = ", ".join(
            f"{described[name].name} {units.show(value, described[name].kind, system)}"
            for name, value in fit.parameters
        )
        worst = fit.worst
        low, high = (units.show(depth, "rain", system) for depth in fit.depths)
        self.told.setText(
            f"{found}. Worst: {worst.name}, runoff {_share(worst.misfit)}, peak {_share(worst.peak_misfit)}. It holds "
            f"for rain from {low} to {high}; storms outside are doubted. Peaks by the transform of the catchment."
        )
        self.take.setEnabled(True)

    def keep(self) -> None:
        """Take the fitted loss into the study."""
        if self.made is None:
            return
        desk = self._desk
        scope = desk.scope_of(self._key)
        if desk.do(take_fit, self._key, self.row, *self.made, condition=scope, **desk.stamp()):
            self.accept()


def _share(misfit: float) -> str:
    """A misfit with its sign; a dash for none at all."""
    if misfit == 0:
        return "–"
    if misfit == float("inf"):
        return "runs off now"
    return f"{'+' if misfit >= 0 else '−'}{units.show(abs(misfit), 'share', digits=2)}"
