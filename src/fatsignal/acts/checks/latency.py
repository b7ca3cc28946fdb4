"""Latency: pings out and in again, measured and then proved by a second pass with what was measured left out."""

from dataclasses import asdict
from typing import ClassVar

from fatsignal.acts.checks.kind import CheckFound, CheckKind, Heard, Listens
from fatsignal.core.timing.buffers import buffer_table, feel_of
from fatsignal.core.timing.latency import measure_round_trip
from fatsignal.engine.orders import ListenOrder
from fatsignal.rig.interface import BUFFER_FRAMES, NAME
from fatsignal.store import interfaces
from fatsignal.store.database import Connection

_SPREAD_FRAMES = 0.5
_PROVEN_FRAMES = 1.0


class LatencyCheck(CheckKind):
    kind: ClassVar[str] = "latency"
    title: ClassVar[str] = "Latency"
    needs: ClassVar[str] = "output into an input"
    listens: ClassVar[Listens | None] = Listens(2.0, "pings", any_length=False)

    def measure(self, heard: Heard) -> CheckFound:
        rate_hz, buffer = heard.order.rate_hz, heard.order.device.settings.buffer_frames
        found = measure_round_trip(next(iter(heard.channels.values())).channel(0), rate_hz=rate_hz)
        total = heard.before.result["round_trip_frames"] if heard.before else found.frames
        result = {
            "round_trip_frames": total,
            "round_trip_ms": 1000 * total / rate_hz,
            "spread_frames": found.spread_frames,
            "pings": found.pings,
            "clearness_db": found.clearness_db,
            "buffer_frames": buffer,
            "buffer_share": 2 * buffer / total if total > 0 else None,
            "feel": feel_of(1000 * total / rate_hz),
            "left_frames": found.frames if heard.before else None,
            "table": [
                asdict(row)
                for row in buffer_table(total, at_buffer_frames=buffer, rate_hz=rate_hz, sizes=BUFFER_FRAMES)
            ],
        }
        if heard.before is None:
            return self.found("look", f"{total:.1f} frames there and back: the second ping follows", result)
        said = f"{total:.1f} samples, {1000 * total / rate_hz:.1f} ms there and back"
        if found.spread_frames > _SPREAD_FRAMES:
            return self.found("look", f"{said}, but pings differ by {found.spread_frames:.1f} samples", result)
        if abs(found.frames) > _PROVEN_FRAMES:
            return self.found("fix", f"{said}; the second ping is off by {found.frames:.1f} samples", result)
        return self.found("good", f"{said}; what is left is {abs(found.frames):.2f} of a sample", result)

    def again(self, order: ListenOrder, found: CheckFound, before: CheckFound | None) -> ListenOrder | None:
        """The same pings with what the first pass measured left out."""
        if before is not None:
            return None
        offset_frames = max(0, round(found.result["round_trip_frames"]))
        return order.model_copy(update={"record_offset_frames": offset_frames})

    async def keep(self, conn: Connection, order: ListenOrder, found: CheckFound) -> None:
        """One that was proved is from now on left out of every recording."""
        if found.verdict != "good":
            return
        settings = order.device.settings
        await interfaces.keep_settings(conn, NAME, settings.model_dump(mode="json"))
        await interfaces.keep_offset(
            conn, NAME, rate_hz=order.rate_hz, buffer_frames=settings.buffer_frames,
            offset_frames=found.result["round_trip_frames"], spread_frames=found.result["spread_frames"],
        )  # fmt: skip
