"""Bleed: how much of the click in the phones the microphones hear."""

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
from fatsignal.core.level.bleed import measure_bleed
from fatsignal.core.timing.click import render_click

# Distances to the playing level at which the click in a microphone is heard; common practice, no source.
_CLEAN_DB, _BLEEDING_DB = 50.0, 35.0


class BleedCheck(CheckKind):
    kind: ClassVar[str] = "bleed"
    title: ClassVar[str] = "Bleed"
    needs: ClassVar[str] = "the click in the mics"
    listens: ClassVar[Listens | None] = Listens(8.0, "hands off, the click in the phones")

    def measure(self, heard: Heard) -> CheckFound:
        order, rows, verdicts, said = heard.order, [], [], []
        for name, _, clip in heard.inputs:
            if name == "DI":
                continue
            click = render_click(order.tempo, from_frame=0, to_frame=clip.frames, settings=order.click).channel(0)
            playing = heard.level_played_dbfs(name)
            report = measure_bleed(clip.channel(0), click, rate_hz=order.rate_hz, playing_dbfs=playing)
            verdict = distance_verdict(report.below_playing_db if report.found else None, _CLEAN_DB, _BLEEDING_DB)
            verdicts.append(verdict)
            if verdict != "good":
                said.append(f"{name}: the click is {report.below_playing_db:.0f} dB below the playing")
            rows.append({"name": name, "verdict": verdict, "playing_dbfs": playing, **asdict(report)})
        if not rows:
            return self.found("good", "no microphone is open: nothing can bleed", {"channels": []})
        says = "; ".join(said) or "no click is heard in any microphone"
        if said:
            says += ": turn the phones down, or take closed ones"
        return self.found(worst(verdicts), says, {"channels": rows})
