"""The loss of a surface fitted to another over the storms of the study."""

from __future__ import annotations

from PyQt6.QtGui import QStandardItemModel
from PyQt6.QtWidgets import QComboBox, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.taking import TakingDialog
from tarnwater.desk.widgets.labels import as_hint
from tarnwater.desk.widgets.listing import Listing
from tarnwater.errors import TarnwaterError
from tarnwater.network.elements import Catchment
from tarnwater.progress import Progress
from tarnwater.runoff.losses import Loss, LossFit, fit_loss
from tarnwater.study.answers.fitting import storms_of_fit
from tarnwater.study.edits.fitted_loss import candidates, take_fit

HEADS = ("storm", "rain", "runoff", "fitted", "misfit", "peak", "fitted", "misfit")


class FitDialog(TakingDialog):
    """Which surface, which loss in the place of its own, the misfit in each storm, and a button that takes it."""

    def __init__(self, parent: QWidget, desk: Desk, key: str) -> None:
        element = desk.elements[key]
        assert isinstance(element, Catchment)
        super().__init__(parent, desk, key, f"Fit a loss of {element.name} to its present one", (760, 520))
        self.element = element
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
        self.finished.connect(lambda _: self._stop())
        self.ask("Fit to", self.surface)
        self.ask("the loss", self.target)
        self.lay_out(self.rows)
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
            self.desk.aside.cancel(self._work)
            self._work = None

    def _fit(self) -> None:
        """Fit in a thread, and show what comes of it."""
        self._stop()
        self.made = None
        self.rows.show_rows([])
        desk, target, other = self.desk, self.target.currentData(), self.element.surfaces[self.row].loss
        results, view = desk.results, desk.view
        if target is None or results is None or view is None:
            self.wait("There is nothing to fit: compute a storm first.")
            return
        self.wait("Fitting …")
        key, condition = self.key, view.condition

        def work(_: Progress) -> tuple[Loss, LossFit] | TarnwaterError:
            try:
                return fit_loss(target, other, storms_of_fit(results, key, condition))
            except TarnwaterError as error:
                return error

        def done(found: tuple[Loss, LossFit] | TarnwaterError) -> None:
            self._work = None
            if isinstance(found, TarnwaterError):
                self.refuse(found)
            else:
                self._show(*found)

        self._work = desk.aside.run(work, done, desk.fault, "Fitting a loss")

    def _show(self, loss: Loss, fit: LossFit) -> None:
        self.made = loss, fit
        system = self.desk.study.units
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
        self.ready(
            f"{found}. Worst: {worst.name}, runoff {_share(worst.misfit)}, peak {_share(worst.peak_misfit)}. It holds "
            f"for rain from {low} to {high}; storms outside are doubted. Peaks by the transform of the catchment."
        )

    def keep(self) -> None:
        """Take the fitted loss into the study."""
        if self.made is None:
            return
        desk = self.desk
        scope = desk.scope_of(self.key)
        if desk.do(take_fit, self.key, self.row, *self.made, condition=scope, **desk.stamp()):
            self.accept()


def _share(misfit: float) -> str:
    """A misfit with its sign; a dash for none at all."""
    if misfit == 0:
        return "–"
    if misfit == float("inf"):
        return "runs off now"
    return f"{'+' if misfit >= 0 else '−'}{units.show(abs(misfit), 'share', digits=2)}"
