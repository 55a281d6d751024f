"""Plays the water of a pond through an event: a slider of time, and what is at that time in words."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QSlider, QWidget

from tarnwater.desk.widgets.labels import Words

#: Interval between two pictures, ms, and how long an event plays, s.
INTERVAL, PLAYS_FOR = 40, 8.0


class Player(QWidget):
    """``moved`` tells the ordinate that is looked at; −1 stands for the highest level."""

    moved = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.play = QPushButton("Play")
        self.play.setAccessibleName("Play the water through the event")
        self.play.setToolTip("Space: play or stop; the slider and its arrows go to a time, Home to the highest level")
        self.play.setCheckable(True)
        self.play.setProperty("small", True)
        self.play.toggled.connect(self._turn)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Time in the event")
        self.slider.setMinimum(-1)
        self.slider.setValue(-1)
        self.slider.valueChanged.connect(self.moved)
        self.slider.setMinimumWidth(60)
        self.slider.setMaximumWidth(150)
        self.words = Words("", size=8.5)
        self.words.setWordWrap(True)
        self.words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._timer = QTimer(self)
        self._timer.setInterval(INTERVAL)
        self._timer.timeout.connect(self._go_on)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.play)
        row.addWidget(self.slider, 1)
        row.addWidget(self.words, 3)

    @property
    def at(self) -> int:
        """The ordinate that is looked at; −1 for the highest level."""
        return self.slider.value()

    def set_length(self, ordinates: int) -> None:
        """Let it run over an event of as many ordinates; none stops it."""
        self.setEnabled(ordinates > 0)
        if not ordinates:
            self.stop()
        if self.slider.maximum() != ordinates - 1:
            self.slider.blockSignals(True)
            self.slider.setMaximum(max(ordinates - 1, -1))
            self.slider.setPageStep(max(ordinates // 20, 1))
            self.slider.blockSignals(False)

    def stop(self) -> None:
        """Stop playing, and look at the highest level."""
        self.play.setChecked(False)
        self.slider.setValue(-1)

    def turn(self) -> None:
        """Play, or stop where it is."""
        if self.isEnabled():
            self.play.toggle()

    def _turn(self, plays: bool) -> None:
        self.play.setText("Stop" if plays else "Play")
        if plays:
            if self.at >= self.slider.maximum():
                self.slider.setValue(0)
            self._timer.start()
        else:
            self._timer.stop()

    def _go_on(self) -> None:
        step = max(round(self.slider.maximum() * INTERVAL / 1000 / PLAYS_FOR), 1)
        if self.at + step > self.slider.maximum():
            self.play.setChecked(False)
            self.slider.setValue(-1)
        else:
            self.slider.setValue(self.at + step)
