"""Land cover and soils: curve numbers by cover, condition and hydrologic soil group; composites."""

from tarnwater.cover.curve_numbers import CoverClass, composite, cover_classes, find_cover

__all__ = ["CoverClass", "composite", "cover_classes", "find_cover"]
