"""The changes of the ground as a table: features, breaching, filling, holes; and the limits of breaching."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.brief.ground import HEADS, TREATMENTS, GroundRow, ground_rows
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.grid_view import GridView, put_on_clipboard
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.study.document import Study, Terrain
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.edits.ground import rename_feature, resized
from tarnwater.terrain.features import GroundFeature

NAME, SIZE, REMARK = HEADS.index("name"), HEADS.index("height or depth"), HEADS.index("remark")

NOTHING = "Nothing was changed yet. Draw a culvert, burned stream, wall or kept depression on the map."


class GroundChangesModel(QAbstractTableModel):
    """Rows of `ground_rows`; names, heights, depths and what a hole is can be typed."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk, self.theme = desk, theme
        self.rows: tuple[GroundRow, ...] = ()
        self._refused: dict[tuple[str, int], tuple[str, str]] = {}

    def refresh(self) -> None:
        """Show the study's changes."""
        rows = ground_rows(self.desk.study)
        if len(rows) != len(self.rows):
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        else:
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(HEADS) - 1))

    def rowCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of changes."""
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:  # noqa: N802
        """Number of columns."""
        return len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:  # noqa: N802
        """Heads of the columns."""
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return HEADS[section]
        return None

    def may_be_typed(self, index: QModelIndex) -> bool:
        """Whether a cell can be typed."""
        row = self.rows[index.row()]
        feature_cell = row.is_feature and (index.column() == NAME or (index.column() == SIZE and bool(row.field)))
        return feature_cell or (row.void is not None and index.column() == REMARK)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Flags of a cell."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if self.may_be_typed(index) else flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Texts with units; figures to the right; the meaning of a feature as a hint."""
        row = self.rows[index.row()]
        refused = self._refused.get((row.key, index.column()))
        if refused is not None and role in _REFUSED:
            return (refused[0], refused[0], refused[1], self.theme.colour("limit"))[_REFUSED.index(role)]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.texts(self.desk.study.units)[index.column()]
        if role == Qt.ItemDataRole.EditRole:
            return TREATMENTS_BY_WORDS[row.remark] if index.column() == REMARK else self._as_typed(row, index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if 2 <= index.column() < REMARK else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ToolTipRole:
            return row.remark if index.column() == REMARK and row.remark else self._meaning(row)
        if role == Qt.ItemDataRole.FontRole:
            return desk_font(9, bold=self.may_be_typed(index) and index.column() == NAME)
        return None

    def _as_typed(self, row: GroundRow, column: int) -> str:
        return row.texts(self.desk.study.units)[column]

    def _meaning(self, row: GroundRow) -> str | None:
        feature = self.desk.study.ground_features.get(row.key)
        if feature is None:
            return None
        return f"{feature.title}: {feature.meaning}\n{feature.equation}\n{feature.source}"

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:  # noqa: N802
        """Type one cell: a name at once, everything else with the terrain conditioned again."""
        row, text = self.rows[index.row()], str(value).strip()
        try:
            if index.column() == REMARK:
                self._treat(row, text)
            elif index.column() == NAME:
                self._rename(row, text)
            else:
                self._resize(row, text)
        except TarnwaterError as error:
            # what was typed stays in its cell, with the reason
            self._refused[row.key, index.column()] = text, str(error)
            self.desk.fault(error)
            return True
        self._refused.pop((row.key, index.column()), None)
        return True

    def _treat(self, row: GroundRow, treatment: str) -> None:
        if row.void is not None and TREATMENTS.get(treatment, row.remark) != row.remark:
            act = f"hole {row.void}: {TREATMENTS[treatment]}"
            self.desk.ground.reshape(act, treatments={row.void: treatment})  # type: ignore[dict-item]

    def _rename(self, row: GroundRow, name: str) -> None:
        if name != row.name:
            rename_feature(self.desk.study, row.key, name)
            self.desk.do(rename_feature, row.key, name)

    def _resize(self, row: GroundRow, text: str) -> None:
        unit = entry_unit(self.desk.study, "length", "length")
        if text == self._as_typed(row, SIZE):
            return
        size = units.parse(text, "length", default=unit)
        feature = resized(self.desk.study.ground_features[row.key], size)
        if size == row.size:
            return

        def change(study: Study) -> dict[str, GroundFeature]:
            kept = dict(study.ground_features)
            return kept | ({row.key: resized(kept[row.key], size)} if row.key in kept else {})

        self.desk.ground.reshape(
            f"set the {row.field} of {feature.name} to {units.show(size, 'length', self.desk.study.units)}",
            change=change,
        )

    def remove(self, rows: list[int]) -> None:
        """Remove the features of some rows, or forget what was refused in them; other rows stay."""
        forgotten = [key for key in self._refused if key[0] in {self.rows[i].key for i in rows}]
        if forgotten:
            for key in forgotten:
                del self._refused[key]
            self.refresh()
            return
        gone = [self.rows[i] for i in rows if self.rows[i].is_feature]
        if not gone:
            self.desk.told.emit("Only features can be removed: breaching ends with its limits, filling always stands.")
            return
        keys = {row.key for row in gone}
        act = f"remove the {gone[0].what} {gone[0].name}" if len(gone) == 1 else f"remove {len(gone)} features"
        self.desk.ground.reshape(
            act, change=lambda study: {k: f for k, f in study.ground_features.items() if k not in keys}
        )


#: Treatments of a hole by their words in the table.
TREATMENTS_BY_WORDS = {words: treatment for treatment, words in TREATMENTS.items()}


#: Roles of a cell whose text was refused.
_REFUSED = (
    Qt.ItemDataRole.DisplayRole,
    Qt.ItemDataRole.EditRole,
    Qt.ItemDataRole.ToolTipRole,
    Qt.ItemDataRole.ForegroundRole,
)


class HoleDelegate(QStyledItemDelegate):
    """Chooses what a hole is, from a list."""

    def createEditor(self, parent: QWidget | None, option: Any, index: QModelIndex) -> QWidget | None:  # noqa: N802
        """A list of the treatments in the column of remarks."""
        if index.column() != REMARK:
            return super().createEditor(parent, option, index)
        chooser = QComboBox(parent)
        for treatment, words in TREATMENTS.items():
            chooser.addItem(words, treatment)
        chooser.activated.connect(lambda: self._chosen(chooser))
        return chooser

    def _chosen(self, chooser: QComboBox) -> None:
        self.commitData.emit(chooser)
        self.closeEditor.emit(chooser)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:  # noqa: N802
        """Show the present treatment."""
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(editor.findData(index.data(Qt.ItemDataRole.EditRole)))
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:  # noqa: N802
        """Take the chosen one."""
        if isinstance(editor, QComboBox):
            model.setData(index, editor.currentData())
        else:
            super().setModelData(editor, model, index)


class ChangesView(GridView):
    """The table; Delete removes the features of the block."""

    def copy(self) -> None:
        """Copy the block as text."""
        rows: dict[int, list[str]] = {}
        for index in self.block():
            rows.setdefault(index.row(), []).append(str(index.data() or ""))
        put_on_clipboard(rows.values())

    def clear_block(self) -> None:
        """Remove the features of the block."""
        model = self.model()
        assert isinstance(model, GroundChangesModel)
        model.remove(sorted({index.row() for index in self.block()}))


class GroundChanges(QWidget):
    """The table under the map, with the limits of breaching above it."""

    row_chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.desk = desk
        self.model = GroundChangesModel(desk, theme)
        self.view = ChangesView("Ground changes")
        self.view.setModel(self.model)
        self.view.setItemDelegate(HoleDelegate(self.view))
        self.view.setAlternatingRowColors(False)
        below = self.view.verticalHeader()
        if below is not None:
            below.hide()
            below.setDefaultSectionSize(self.fontMetrics().height() + 6)
        # remarks are cut short rather than rows pushed aside; the hint has all of a remark
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        head = self.view.horizontalHeader()
        if head is not None:
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setStretchLastSection(True)
            head.setHighlightSections(False)
            head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        chosen = self.view.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(lambda now, _: self._choose(now.row()))
        self.deepest = self._limit("breach_depth", "greatest depth of a breach")
        self.longest = self._limit("breach_length", "greatest length of a breach")
        self.remove_button = QPushButton("Remove   Del")
        self.remove_button.setAccessibleName("Remove the chosen features")
        self.remove_button.clicked.connect(self.view.clear_block)
        self._units = Words("", quiet=True, size=8.5), Words("", quiet=True, size=8.5)
        self._nothing = Words(NOTHING, quiet=True)
        line = QHBoxLayout()
        for widget in (Words("Breach pits up to", size=8.5), self.deepest, self._units[0], Words("deep and", size=8.5)):
            line.addWidget(widget)
        for widget in (self.longest, self._units[1], Words("long; others are filled", size=8.5)):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(self.remove_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(line)
        column.addWidget(self._nothing)
        column.addWidget(self.view, 1)

    def _limit(self, setting: str, name: str) -> QuantityField:
        field = QuantityField("", self._typed(setting, name), self.desk.told.emit, name)
        field.setFixedWidth(72)
        return field

    def _typed(self, setting: str, name: str) -> Callable[[str], str]:
        def commit(text: str) -> str:
            try:
                limit = units.parse(text, "length", default=self._unit)
                Terrain.model_fields[setting].metadata[-1].check(limit, name)
            except TarnwaterError as error:
                return str(error)
            told = units.show(limit, "length", self.desk.study.units)
            self.desk.ground.reshape(f"set the {name} to {told}", settings={setting: limit})
            return ""

        return commit

    @property
    def _unit(self) -> str:
        return entry_unit(self.desk.study, "length", "length")

    def refresh(self) -> None:
        """Show the study's changes and limits."""
        terrain = self.desk.study.terrain
        self.model.refresh()
        self._nothing.setVisible(not self.model.rows)
        self.view.setVisible(bool(self.model.rows))
        if terrain is None:
            return
        for field, unit, value in zip(
            (self.deepest, self.longest), self._units, (terrain.breach_depth, terrain.breach_length), strict=True
        ):
            field.show_value(units.rounded(units.to_unit(value, self._unit, "length")))
            unit.setText(self._unit)
        self.view.resizeColumnsToContents()

    def choose(self, key: str) -> None:
        """Go to the row of a change."""
        row = next((i for i, r in enumerate(self.model.rows) if r.key == key), None)
        if row is not None and self.view.currentIndex().row() != row:
            self.view.setCurrentIndex(self.model.index(row, NAME))

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.model.rows):
            self.row_chosen.emit(self.model.rows[row])
