"""Level: the loudest playing against what a converter wants."""

from dataclasses import asdict
from typing import ClassVar

from fatsignal.acts.checks.kind import CheckFound, CheckKind, Heard, Listens, worst
from fatsignal.core.clip import Clip
from fatsignal.core.level.level_check import check_levels
from fatsignal.core.level.target_levels import AIM_AVERAGE_DBFS, AIM_PEAK_DBFS


class LevelCheck(CheckKind):
    kind: ClassVar[str] = "level"
    title: ClassVar[str] = "Level"
    needs: ClassVar[str] = "play your loudest"
    listens: ClassVar[Listens | None] = Listens(8.0, "loudest")

    def measure(self, heard: Heard) -> CheckFound:
        used = heard.inputs
        together = Clip.locked([clip.channel(0) for _, _, clip in used], heard.order.rate_hz)
        kinds = ["di" if name == "DI" else "mic" for name, _, _ in used]
        found = check_levels(together, kinds=kinds, inputs=[f"input {use.number}" for _, use, _ in used])
        wrong = [
            f"{name}: {channel.says}"
            for (name, _, _), channel in zip(used, found, strict=True)
            if channel.verdict != "good"
        ]
        return self.found(
            worst([channel.verdict for channel in found]), "; ".join(wrong) or "every level is right",
            {
                "aim_average_dbfs": list(AIM_AVERAGE_DBFS),
                "aim_peak_dbfs": AIM_PEAK_DBFS,
                "channels": [
                    {"name": name, "input": use.number, "gain_db": use.gain_db, **asdict(channel)}
                    for (name, use, _), channel in zip(used, found, strict=True)
                ],
            },
        )  # fmt: skip
