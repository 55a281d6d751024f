"""The meaning of each control, which F1 shows where there is no number."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

_STREAM = "the area that must drain to a cell before water runs there as a stream; outlets snap to streams"

#: By accessible name.
MEANINGS = {
    "Condition in view": "the state of the land whose figures are shown everywhere; edits to one condition go to it",
    "Event in view": "a return period, the mean interval in years between such rains, or one recorded or typed storm",
    "Storm in view": "one duration of a storm family, or the governing one: that of the highest peak",
    "Find an action": "actions, elements, values, conditions, return periods and storms by any of their letters",
    "Map": "arrows follow the water, + and − zoom, Home shows the whole; O drops an outlet, L draws a link",
    "Area that makes a stream": _STREAM,
    "area that makes a stream": _STREAM,
    "distance within which outlets snap": "how far a dropped outlet may move to reach a stream; farther is refused",
    "size of the parts to divide into": "outlets are placed so that the land falls into parts of about this size",
    "greatest depth of a breach": "pits are led out through ground that is at most this much higher; 0 for none",
    "greatest length of a breach": "pits are led out by channels of at most this length; others are filled",
    "Ground changes": "what was changed in the terrain; names, heights and holes can be typed, Delete removes features",
    "Layers, the highest first": "what the map shows: the space bar shows or hides, Enter shows one alone",
    "How opaque the layer is, %": "100 % hides what lies below, 0 % hides the layer",
    "contour interval": "difference of height between two contours; every fifth one is drawn heavier",
    "What colours the catchments": "a parameter, or a figure of the case in view; a missing one is hatched",
    "Saved views": "a place and scale of the map with its layers, saved in the study",
    "Sheet of measures": "measures of each catchment on the terrain; typed ones take their place",
    "Storm family": "storms made from one depth table by one pattern, over durations and return periods",
    "Name of the family": "the name that answers and exports give with its storms",
    "Return periods": "the return periods in years for which storms are made, separated by commas",
    "Pattern": "how the depth of a storm is shared out over its duration",
    "Durations": "the durations tried, separated by commas; the one with the highest peak governs",
    "Areal reduction": "how much less deep the rain is over the area draining to a design point than at a point",
    "Whether the family is counted": "a counted family seeks the governing storm; one beside is only shown",
    "Rule that prescribes the family": "the source of a rule that fixes durations and pattern; no search is made then",
    "Depth table": "depths by duration (down) and return period (across); typed, pasted or opened",
    "Series of the depth table": "annual maxima, or peaks over a threshold, which are converted to annual periods",
    "Allow extrapolation of the depth table": "storms outside the table are extrapolated, and each is a doubt",
    "Step of the run": "the interval at which rain and flow are computed",
    "Filter the sheets by name": "only elements whose names hold every word are shown",
    "Design point": "the place whose peaks, limits and governing storms are shown",
    "Flow tree": "elements as water joins them; arrows move with and against the flow",
    "Stops and doubts": "what keeps a case from being computed, and what to look at before its figures are used",
}


def meaning_of(widget: QWidget) -> str:
    """Name and meaning of a control; empty for one that is not listed."""
    own = getattr(widget, "meaning", None)
    told = own() if callable(own) else MEANINGS.get(widget.accessibleName(), "")
    return f"{widget.accessibleName()}: {told}." if told else ""
