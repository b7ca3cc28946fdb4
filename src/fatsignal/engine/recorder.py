"""One roll: a capture with a journal beside its files, so that a crash leaves a take."""

from datetime import datetime

from fatsignal.engine.capture import Capture
from fatsignal.engine.protocol import JOURNAL_NAME, ChannelFile, Ended, Journal, Rolling, RollOrder


class Recorder(Capture[RollOrder]):
    """Rolls one order."""

    _journal: Journal | None = None

    def _made(self, files: list[ChannelFile], started_at: datetime) -> None:
        self._journal = Journal(order=self._order, channels=files, started_at=started_at)
        self._write_journal(self._journal)

    def _begun(self, files: list[ChannelFile]) -> None:
        self.tell(
            Rolling(
                **self._order.model_dump(include={
                    "roll_id", "session_id", "part_id", "number", "from_frame",
                    "window_from_frame", "window_to_frame", "to_frame",
                }),
                channels=files,
            )
        )  # fmt: skip

    def _ended(self, ended: Ended) -> None:
        if self._journal is not None:
            self._write_journal(self._journal.model_copy(update={"ended": ended.reason, "problem": ended.problem}))

    def _write_journal(self, journal: Journal) -> None:
        path = self._order.folder / JOURNAL_NAME
        partial = path.with_suffix(".partial")
        try:
            partial.write_text(journal.model_dump_json(indent=1))
            partial.replace(path)
        except OSError:
            # The first journal must stand; a last one that no longer fits only says less.
            if not path.exists():
                raise
            partial.unlink(missing_ok=True)
