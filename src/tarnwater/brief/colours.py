"""The colours of the program by role."""

PAPER = "#F6F4EF"
INK = "#22313A"
WATER = "#0F6B6F"
LOSS = "#B97F24"
RAIN = "#5B6B76"
LIMIT = "#C4402B"
OBSERVED = "#6B4A7A"
QUIET = "#606C74"

#: Conditions are told apart by line style as well as by colour.
LINE_STYLES = ("solid", "dashed", "dashdot", "dotted")
CONDITION_COLOURS = (WATER, INK, LOSS, OBSERVED)
