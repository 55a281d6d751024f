"""Design rainfall by OGC API - Features: a client of any such server, and a stand-in on the loopback."""

from tarnwater.feeds.design_rain.client import Answer, Averaged, averaged, collections_of, depths_at, depths_in_file
from tarnwater.feeds.design_rain.places import AskedPlace, point_at, polygon_in

__all__ = [
    "Answer",
    "AskedPlace",
    "Averaged",
    "averaged",
    "collections_of",
    "depths_at",
    "depths_in_file",
    "point_at",
    "polygon_in",
]
