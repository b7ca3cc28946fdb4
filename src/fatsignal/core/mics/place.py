"""Where a microphone stands and looks: one description for plan, rig, sheet, tones and simulation.

Seen from the microphones, looking at the loudspeaker or the guitar: x runs to the right, y up, z towards the viewer.
The origin is the point that the place is measured from (the middle of a cone, a landmark of a guitar), at the grille
or the guitar's top.
"""

import math
import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fatsignal.errors import InvalidSetting

Vector = NDArray[np.float64]

# Nothing stands nearer than the thickness of a grille cloth and a basket; farther than this it is no placement.
NEAREST_M, FARTHEST_M = 0.005, 5.0

_METRES = {
    "": 0.01, "mm": 0.001, "cm": 0.01, "m": 1.0, "in": 0.0254, "inch": 0.0254, "inches": 0.0254, '"': 0.0254,
    "″": 0.0254, "”": 0.0254, "ft": 0.3048, "foot": 0.3048, "feet": 0.3048, "'": 0.3048, "′": 0.3048, "’": 0.3048,
}  # fmt: skip
_NUMBER = r"(?:\d+(?:[.,]\d+)?|[.,]\d+)"
_LENGTH = re.compile(
    rf"(?:(?P<whole>\d+)\s+)?(?:(?P<over>\d+)/(?P<under>\d+)|(?P<number>{_NUMBER}))\s*(?P<unit>[^\d\s]*)"
)


@dataclass(frozen=True, slots=True)
class MicPlace:
    """A capsule's place in metres and where it looks.

    `turned_deg` is its turn to the right, `tilted_deg` its turn upwards; with neither it looks straight at the grille.
    """

    distance_m: float
    off_centre_m: float = 0.0
    height_m: float = 0.0
    turned_deg: float = 0.0
    tilted_deg: float = 0.0

    def __str__(self) -> str:
        """In words, in centimetres and degrees; what is nought is left out."""
        sides = ((self.off_centre_m, "right", "left"), (self.height_m, "up", "down"))
        moved = [f"{abs(m) * 100:.1f} cm {plus if m > 0 else minus}" for m, plus, minus in sides if abs(m) >= 5e-4]
        turns = ((self.turned_deg, "right", "left"), (self.tilted_deg, "up", "down"))
        looks = [f"{abs(deg):.0f}° {plus if deg > 0 else minus}" for deg, plus, minus in turns if abs(deg) >= 0.5]
        return ", ".join(
            [f"{self.distance_m * 100:.1f} cm away", *moved, *([f"looks {' and '.join(looks)}"] if looks else [])]
        )

    @property
    def position_m(self) -> Vector:
        """Place of the capsule, shape (3,): x, y, z."""
        return np.array([self.off_centre_m, self.height_m, self.distance_m])

    @property
    def looks(self) -> Vector:
        """Unit vector along which the capsule looks, shape (3,)."""
        turned, tilted = math.radians(self.turned_deg), math.radians(self.tilted_deg)
        return np.array([math.sin(turned) * math.cos(tilted), math.sin(tilted), -math.cos(turned) * math.cos(tilted)])

    def distance_to_m(self, other: "MicPlace") -> float:
        """From capsule to capsule, both measured from one point."""
        return float(np.linalg.norm(self.position_m - other.position_m))

    def aimed_at(self, x_m: float = 0.0, y_m: float = 0.0) -> "MicPlace":
        """The same place, looking at a point of the grille."""
        dx, dy = x_m - self.off_centre_m, y_m - self.height_m
        turned = math.degrees(math.atan2(dx, self.distance_m))
        tilted = math.degrees(math.atan2(dy, math.hypot(dx, self.distance_m)))
        return MicPlace(self.distance_m, self.off_centre_m, self.height_m, turned, tilted)


def turned_from_angle(mic: dict[str, Any]) -> dict[str, Any]:
    """A mic's document of before it had a height: its one angle turned it towards the centre."""
    if "angle_deg" not in mic:
        return mic
    said = {key: value for key, value in mic.items() if key != "angle_deg"}
    towards = -1.0 if (mic.get("off_centre_m") or 1.0) > 0 else 1.0
    return {"turned_deg": towards * mic["angle_deg"] or 0.0, **said}


def parse_length_m(typed: str) -> float:
    """Metres of a length as it is typed: ``1 in``, ``3 cm``, ``2 ft``, ``1' 6"``, ``1 1/2 in``, ``-4.8``; alone, cm.

    Raises
    ------
    InvalidSetting
        If it is none.
    """
    text = typed.strip().lower().replace("−", "-")
    sign = -1.0 if text.startswith("-") else 1.0
    text = text[1:] if text[:1] in ("+", "-") else text
    found = list(_LENGTH.finditer(text))
    if not found or _LENGTH.sub("", text).strip():
        raise _no_length(typed)
    total = 0.0
    for each in found:
        unit = each["unit"].rstrip(".")
        if unit not in _METRES or (each["under"] and int(each["under"]) == 0) or (len(found) > 1 and not unit):
            raise _no_length(typed)
        number = int(each["over"]) / int(each["under"]) if each["over"] else float(each["number"].replace(",", "."))
        total += (int(each["whole"] or 0) + number) * _METRES[unit]
    return sign * total


def _no_length(typed: Any) -> InvalidSetting:
    return InvalidSetting(f"“{typed}” is no length: type one like 3 cm, 1 in, 2 ft or 1 1/2 in")
