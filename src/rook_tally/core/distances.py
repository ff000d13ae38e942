"""Distances between positions on Earth."""

from __future__ import annotations

import math

MEAN_RADIUS_M = 6_371_008.8
"""Mean radius of the Earth (IUGG, R1 of WGS 84), metres."""


def distance_m(one: tuple[float, float], other: tuple[float, float]) -> float:
    """The distance of two positions (latitude, longitude in degrees) along a great circle, metres.

    The haversine formula (R. W. Sinnott, Virtues of the Haversine, Sky and Telescope 68, 1984): on
    a sphere, within 0.6 % of the ellipsoid.
    """
    latitude, other_latitude = math.radians(one[0]), math.radians(other[0])
    half_across = math.radians(other[1] - one[1]) / 2
    half_along = (other_latitude - latitude) / 2
    chord = math.sin(half_along) ** 2 + (
        math.cos(latitude) * math.cos(other_latitude) * math.sin(half_across) ** 2
    )
    return 2 * MEAN_RADIUS_M * math.asin(math.sqrt(min(1.0, chord)))
