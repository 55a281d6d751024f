"""Land cover and soils: classes of cover, soil groups and textures, their areas in catchments, and composites."""

from tarnwater.cover.classes import CoverClass, MixPart, composite, cover_classes, find_cover, shares_of
from tarnwater.cover.soils import GROUPS, SoilGroup, SoilTexture, group_of, soil_group_in, soil_textures

__all__ = [
    "GROUPS",
    "CoverClass",
    "MixPart",
    "SoilGroup",
    "SoilTexture",
    "composite",
    "cover_classes",
    "find_cover",
    "group_of",
    "shares_of",
    "soil_group_in",
    "soil_textures",
]
