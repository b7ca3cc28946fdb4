"""Tuner: every string against its target, and how far a note begins sharp."""

from typing import ClassVar

from fatsignal.acts.checks.kind import CheckFound, CheckKind, Heard, Listens
from fatsignal.core.pitch.note_list import NoteFound, list_notes
from fatsignal.core.pitch.notes import note_name, targets_of
from fatsignal.core.pitch.tuner import IN_TUNE_CENTS, NEARLY_CENTS
from fatsignal.core.verdict import Verdict


class TuningCheck(CheckKind):
    kind: ClassVar[str] = "tuning"
    title: ClassVar[str] = "Tuner"
    needs: ClassVar[str] = "string by string"
    # It goes on until it is stopped.
    listens: ClassVar[Listens | None] = Listens(120.0, "string by string", follows_pitch=True)

    def measure(self, heard: Heard) -> CheckFound:
        rig, order = heard.rig, heard.order
        targets = targets_of(
            rig.open_notes, reference_pitch_hz=order.reference_pitch_hz, offsets_cents=rig.string_offsets_cents or None
        )
        notes = list_notes(next(iter(heard.channels.values())), targets, reference_pitch_hz=order.reference_pitch_hz)
        newest: dict[int, NoteFound] = {note.string: note for note in notes if note.string is not None}
        strings = [
            {
                "string": target.string,
                "note": target.name,
                "target_hz": target.frequency_hz,
                "cents": newest[target.string].cents if target.string in newest else None,
                "drift_cents": newest[target.string].drift_cents if target.string in newest else None,
            }
            for target in targets
        ]
        result = {"strings": strings, "reference_pitch_hz": order.reference_pitch_hz}
        if not newest:
            return self.found("fix", "no string was heard: play them one by one", result)
        off = [
            f"{note_name(rig.open_notes[string])} {note.cents:+.1f}".replace("-", "−")
            for string, note in sorted(newest.items())
            if abs(note.cents) > IN_TUNE_CENTS
        ]
        farthest = max(abs(note.cents) for note in newest.values())
        missing = len(targets) - len(newest)
        verdict: Verdict = "fix" if farthest > NEARLY_CENTS else "look" if off or missing else "good"
        said = f"out by cents: {', '.join(off)}" if off else "every string that was heard is in tune"
        if missing:
            said += f"; {missing} of {len(targets)} not heard yet"
        return self.found(verdict, said, result)
