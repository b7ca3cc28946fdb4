"""The web process's side of rolling: keeps the link to the engine, and enters what was rolled."""

import asyncio
import contextlib
import logging
from collections.abc import Mapping, Sequence
from uuid import UUID

from psycopg_pool import AsyncConnectionPool

from fatsignal.config import Settings
from fatsignal.core.tone.document import Tone
from fatsignal.engine.client import EngineClient
from fatsignal.engine.engine_lock import engine_is_running
from fatsignal.engine.events import (
    Benching,
    BenchMeters,
    Ended,
    Hello,
    Listening,
    Meters,
    Notice,
    PassEnded,
    Pitch,
    Ready,
    Refused,
    Rolling,
    StandingBy,
)
from fatsignal.engine.orders import (
    BenchOrder,
    Cue,
    CuesOrder,
    HearOrder,
    ListenOrder,
    Order,
    PunchOrder,
    RollOrder,
    StandbyOrder,
    StopOrder,
    TurnOrder,
)
from fatsignal.errors import RollRefused
from fatsignal.store.database import Connection
from fatsignal.web.capture_follow_up import CaptureFollowUp
from fatsignal.web.entering import Entering
from fatsignal.web.live import Hub
from fatsignal.web.live_messages import RollEnded
from fatsignal.web.work_queue import WorkQueue

_RETRY_S = 1.0
# A device that hangs is closed under its reader; files of many channels take a moment to reach a slow disk.
_STOP_S = 15.0

log = logging.getLogger(__name__)


class EngineController:
    """Gives orders to the engine, passes on what it tells, and enters rolls when the database takes them."""

    def __init__(self, settings: Settings, pool: AsyncConnectionPool[Connection], hub: Hub, works: WorkQueue) -> None:
        self._settings = settings
        self._pool = pool
        self._hub = hub
        self._link: EngineClient | None = None
        self._rolling: UUID | None = None
        self._begun = False
        self._rolling_takes: list[UUID] = []
        self._trial_of: UUID | None = None
        self._standby: StandbyOrder | None = None
        self._benching: Benching | None = None
        self._bench_frame: int | None = None
        # By the part: what makes the sounds of its bench equally loud, as they were measured last.
        self.bench_gains: dict[UUID, dict[str, float]] = {}
        self._over = asyncio.Event()
        self._over.set()
        self._presses = asyncio.Lock()
        self._answer: asyncio.Future[None] | None = None
        self.entering = Entering(settings, pool, hub, works, only_ended=self._only_ended)
        self.listening = CaptureFollowUp(pool, hub, works, self.start)

    @property
    def rolling(self) -> UUID | None:
        return self._rolling

    @property
    def rolling_takes(self) -> list[UUID]:
        """The takes of the pass that rolls."""
        return self._rolling_takes

    @property
    def trial_of(self) -> UUID | None:
        """The part of which a trial clip is recorded now; None where a take is, or nothing."""
        return self._trial_of if self._rolling is not None else None

    @property
    def presses(self) -> asyncio.Lock:
        """Held by whoever answers a press of the pedal: the next press waits for it, and is not lost."""
        return self._presses

    async def run(self) -> None:
        """Stay linked to the engine until cancelled; a lost engine is started again."""
        entering = asyncio.create_task(self.entering.run())
        try:
            while True:
                link = EngineClient(self._settings.run_folder, apart=self._settings.rig_speed > 0)
                try:
                    await link.connect()
                    self._link = link
                    await self._hear(link)
                except (OSError, RollRefused) as trouble:
                    log.warning("no engine: %s", trouble)
                    await asyncio.sleep(_RETRY_S)
                except Exception:
                    # Whatever it is: without this loop nothing rolls, stops or is entered any more.
                    log.exception("listening to the engine met a fault; it is begun anew")
                    await asyncio.sleep(_RETRY_S)
                finally:
                    self._link = None
                    self._set_rolling(None)
                    # Whoever waits for an answer of the engine that is gone is told at once.
                    self._settle("the recording engine was lost and starts anew: try again in a moment")
                    await link.close()
                self._standby = None
                self._set_bench(None)
                self._hub.set_state(engine="starting", rolling=None, listening=None, standing_by=None)
                self.entering.wake()
                # Without a pause: a musician waits for the next engine.
                await asyncio.sleep(0.05)
        finally:
            entering.cancel()

    async def start(self, order: RollOrder | ListenOrder) -> None:
        """Start to roll or to listen; returns when the engine has it on disk.

        Raises
        ------
        RollRefused
            If it is rolling already, the engine is away, or it could not open its files.
        """
        if self._rolling is not None or self._answer is not None:
            raise RollRefused("it is rolling already: press roll once more to stop")
        self._answer = asyncio.get_running_loop().create_future()
        try:
            await self._send(order)
            await asyncio.wait_for(self._answer, timeout=20)
        except TimeoutError:
            raise RollRefused("the recording engine does not answer; see run/engine.log in the data folder") from None
        finally:
            self._answer = None

    async def stop(self, *, into_bin: bool = False) -> None:
        """Stop the roll and return when its files are closed; nothing happens when none is on."""
        if self._rolling is None and self._answer is None and self._link is not None:
            return
        await self._send(StopOrder(into_bin=into_bin))
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(self._over.wait(), timeout=_STOP_S)

    @property
    def standing_by(self) -> bool:
        """Whether somebody wants to hear what is armed while nothing rolls."""
        return self._standby is not None

    async def stand_by(self, order: StandbyOrder) -> None:
        """Let what is armed be heard whenever nothing rolls."""
        self._standby = order
        if self._rolling is None and self._answer is None:
            await self._send(order)

    async def end_standby(self) -> None:
        """Nobody wants to hear what is armed any more."""
        self._standby = None
        if self._rolling is None and self._answer is None:
            await self._send(StopOrder())

    @property
    def benching(self) -> UUID | None:
        """The bench that sounds."""
        return self._benching.bench_id if self._benching else None

    @property
    def bench_frame(self) -> int | None:
        """Where in the song its loop is."""
        return self._bench_frame if self._benching else None

    async def bench(self, order: BenchOrder) -> None:
        """Let a bench sound; one that sounds already goes on with what lies there now.

        Raises
        ------
        RollRefused
            If something rolls.
        """
        if self._rolling is not None or self._answer is not None:
            raise RollRefused("it is rolling: stop first, then listen on the bench")
        await self._send(order)

    async def end_bench(self, bench_id: UUID) -> None:
        """Silence on a bench, if it is the one that sounds."""
        if self.benching == bench_id and self._rolling is None and self._answer is None:
            await self._send(StopOrder())

    async def hear(self, bench_id: UUID, *, heard: str | None = None, gains_db: Mapping[str, float]) -> None:
        """Another sound of a bench that sounds, or other levels."""
        if self.benching == bench_id and self._link is not None:
            await self._send(HearOrder(bench_id=bench_id, heard=heard, gains_db=dict(gains_db)))

    async def turn(self, bench_id: UUID, tone: Tone, *, live: bool) -> None:
        """A tone was turned: heard where its bench sounds, and where its part is played through it."""
        if self._link is None:
            return
        if self.benching == bench_id:
            await self._send(TurnOrder(key="tone", tone=tone))
        elif live:
            await self._send(TurnOrder(key=str(bench_id), tone=tone))

    async def set_cues(self, session_id: UUID, cues: Sequence[Cue]) -> None:
        """Other mixes for those who listen to a session now; without an engine there is nobody."""
        if self._standby is not None and self._standby.session_id == session_id:
            self._standby = self._standby.model_copy(update={"cues": list(cues)})
        if self._link is not None:
            await self._send(CuesOrder(session_id=session_id, cues=list(cues)))

    async def punch(self) -> None:
        """Press in, or out; nothing happens when nothing rolls."""
        await self._send(PunchOrder())

    def _only_ended(self) -> bool:
        """Whether only that may be entered which says that it ended: something rolls, or may roll out of our sight."""
        busy = self._rolling is not None or self._answer is not None
        return busy or (self._link is None and engine_is_running(self._settings.run_folder))

    def _set_rolling(self, roll_id: UUID | None) -> None:
        self._rolling = roll_id
        if roll_id is None:
            self._over.set()
        else:
            self._over.clear()

    async def _send(self, order: Order) -> None:
        if self._link is None:
            raise RollRefused("the recording engine is starting: try again in a moment")
        await self._link.order(order)

    async def _hear(self, link: EngineClient) -> None:
        async for event in link.events():
            match event:
                case Hello():
                    self._set_rolling(event.busy_with)
                    self._begun = event.rolling is not None
                    self._rolling_takes = [part.take_id for part in event.rolling.parts] if event.rolling else []
                    trial = event.rolling is not None and event.rolling.trial
                    self._trial_of = event.rolling.parts[0].part_id if event.rolling and trial else None
                    self._set_bench(event.benching)
                    self._hub.set_state(
                        engine="ready" if event.ready else "warming",
                        rolling=event.rolling,
                    )
                    self.entering.wake()
                case Ready():
                    self._hub.set_state(engine="ready")
                case Rolling():
                    self._begun = True
                    self._set_rolling(event.roll_id)
                    self._rolling_takes = [part.take_id for part in event.parts]
                    self._trial_of = event.parts[0].part_id if event.trial else None
                    self._hub.set_state(rolling=event)
                    self._settle(None)
                case PassEnded():
                    self.entering.wake()
                case Notice():
                    self._hub.notice(event.problem)
                case Listening():
                    self._begun = True
                    self._set_rolling(event.roll_id)
                    self._hub.set_state(listening=event)
                    self._settle(None)
                case Meters() | Pitch():
                    self._hub.tell(event)
                case Benching():
                    self._set_bench(event)
                case BenchMeters():
                    self._bench_frame = event.frame
                    self._hub.tell(event)
                case Ended() if event.benched:
                    # Another may have begun in its place.
                    if self._benching is not None and self._benching.roll_id == event.roll_id:
                        self._set_bench(None)
                        await self._stand_by_again()
                    if event.problem:
                        self._hub.notice(event.problem)
                case StandingBy():
                    self._hub.set_state(standing_by=event)
                case Ended() if event.stood_by:
                    self._hub.set_state(standing_by=None)
                    if event.problem:
                        self._standby = None
                        self._hub.notice(event.problem)
                case Ended():
                    self._set_rolling(None)
                    await self._stand_by_again()
                    self._hub.set_state(rolling=None, listening=None)
                    self._hub.tell(
                        RollEnded(
                            roll_id=event.roll_id, frames=event.frames, reason=event.reason, problem=event.problem
                        )
                    )
                    self._settle(event.problem or None)
                    if event.listened:
                        self.listening.ended(event)
                    else:
                        self.entering.wake()
                case Refused():
                    if not self._begun:
                        # What was ordered, by this server or one before, did not come to roll.
                        self._set_rolling(None)
                        self.entering.wake()
                    self._settle(event.problem)
                    self._hub.notice(event.problem)

    def _set_bench(self, benching: Benching | None) -> None:
        self._benching, self._bench_frame = benching, None
        self._hub.set_state(benching=benching)

    async def _stand_by_again(self) -> None:
        if self._standby is not None and self._answer is None:
            await self._send(self._standby)

    def _settle(self, problem: str | None) -> None:
        if self._answer is not None and not self._answer.done():
            if problem:
                self._answer.set_exception(RollRefused(problem))
            else:
                self._answer.set_result(None)
