"""What can happen in front of the microphones while a rig is listened to."""

from typing import Literal

Situation = Literal["loudest", "string by string", "hands off", "hands off, the click in the phones"]
