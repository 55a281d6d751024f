"""The pages of the Rain bench by name, apart from the bench, which loads what it is made of."""

from __future__ import annotations

#: Words of the tab of each page, and the attribute of the page; the storms are the bench itself.
PAGES = (
    ("Depths and storms", ""),
    ("Records", "records"),
    ("Maxima", "frequency"),
    ("Events", "events"),
    ("Catchments", "catchments"),
)
