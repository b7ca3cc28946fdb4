"""Noise: what is left with the hands off the strings, and what to try against it."""

from dataclasses import asdict
from typing import ClassVar

from fatsignal.acts.checks.kind import (
    CheckFound,
    CheckKind,
    Heard,
    Listens,
    distance_verdict,
    worst,
)
from fatsignal.core.level.noise import measure_noise, noise_advice

# Distances to the playing level at which noise is heard; common practice, no source.
_QUIET_DB, _NOISY_DB = 60.0, 45.0


class NoiseCheck(CheckKind):
    kind: ClassVar[str] = "noise"
    title: ClassVar[str] = "Noise"
    needs: ClassVar[str] = "hands off the strings"
    listens: ClassVar[Listens | None] = Listens(6.0, "hands off")

    def measure(self, heard: Heard) -> CheckFound:
        rig, rows, verdicts, said = heard.rig, [], [], []
        for name, use, clip in heard.inputs:
            playing = heard.level_played_dbfs(name)
            report = measure_noise(clip.channel(0), rate_hz=heard.order.rate_hz, playing_dbfs=playing)
            distance = report.below_playing_db
            verdict = distance_verdict(distance, _QUIET_DB, _NOISY_DB)
            di = name == "DI"
            advice = noise_advice(
                report, gain_db=use.gain_db, single_coil=di and rig.pickup.kind == "single coil",
                is_di_box=di and rig.di is not None and rig.di.box != "none",
            )  # fmt: skip
            verdicts.append(verdict)
            if verdict != "good" and distance is not None:
                said.append(f"{name}: {report.worst} {distance:.0f} dB below the playing")
            rows.append(
                {
                    "name": name, "verdict": verdict, "playing_dbfs": playing,
                    "playing_measured": name in heard.playing_dbfs, "advice": advice if verdict != "good" else [],
                    **asdict(report), "worst": report.worst,
                }
            )  # fmt: skip
        says = "; ".join(said) or "quiet enough on every channel"
        return self.found(worst(verdicts), says, {"channels": rows})
