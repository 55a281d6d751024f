"""Design rainfall by OGC API - Features: a client of any such server, and a stand-in on the loopback."""

from tarnwater.feeds.design_rain.client import Answer, Averaged, averaged, collections_of, depths_at

__all__ = ["Answer", "Averaged", "averaged", "collections_of", "depths_at"]
