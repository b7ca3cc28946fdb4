"""Listening, and the record offset."""

import numpy as np
import pytest
import soundfile

from fatsignal.acts.checks import CHECKS
from fatsignal.core.timing.latency import measure_round_trip
from fatsignal.demo.song import baritone_part
from fatsignal.engine.events import Listening, Meters, Pitch
from fatsignal.engine.measurement_capture import MeasurementCapture
from fatsignal.engine.orders import ListenOrder
from fatsignal.engine.recorder import Recorder
from fatsignal.engine.sources import source_of
from fatsignal.errors import RollRefused
from fatsignal.rig.check_scenarios import check_tempo
from fatsignal.rig.device import SimulatedDevice
from fatsignal.rig.interface import BUFFER_FRAMES, SimulatedInterface
from fatsignal.rig.setup import RigSetup
from tests.engine.sources import Tones, order, part, plan, take_file
from tests.signals import FS


def listen(folder, kind, *, seconds=2.0, **changes):
    from uuid import uuid4

    how = CHECKS[kind].listens
    values = {
        "roll_id": uuid4(), "session_id": uuid4(), "part_id": uuid4(), "kind": kind, "happening": how.happening,
        "follows_pitch": how.follows_pitch, "folder": folder / kind,
        "stem": "check", "rate_hz": FS, "tempo": check_tempo(FS), "from_frame": 0, "to_frame": round(seconds * FS),
        "seed": 3, "setup": RigSetup(mics=[]), "speed": 0.0,
    }  # fmt: skip
    return ListenOrder(**(values | changes))


def run(asked, source=None):
    told = []
    ended = MeasurementCapture(asked, source or source_of(asked), told.append).run()
    return told, ended


def test_a_tuning_is_read_thirty_times_a_second(tmp_path):
    told, ended = run(listen(tmp_path, "tuning", seconds=4.0))
    assert isinstance(told[0], Listening)
    assert (ended.listened, ended.reason) == (True, "section")
    pitches = [event for event in told if isinstance(event, Pitch)]
    assert len(pitches) == len([event for event in told if isinstance(event, Meters)]) == 120
    # The lowest string of a baritone sounds from the first beat on.
    named = {event.note for event in pitches if event.note}
    assert named == {"B1", "E2"}
    heard = [event.cents for event in pitches[15:55] if event.cents is not None]
    assert abs(np.median(heard)) < 0.5


def test_other_checks_say_nothing_of_pitch(tmp_path):
    told, _ = run(listen(tmp_path, "noise"))
    assert not [event for event in told if isinstance(event, Pitch)]


def test_the_record_offset_is_left_out_at_the_beginning(tmp_path):
    source = Tones(FS)
    _, ended = run(listen(tmp_path, "level", seconds=0.5, record_offset_frames=575), source)
    assert ended.frames == FS // 2
    back, _ = soundfile.read(tmp_path / "level" / "check - DI.wav")
    np.testing.assert_allclose(back, source.audio[575 : 575 + FS // 2, 0], atol=2.0**-23)


def test_a_source_that_ends_within_the_offset_is_an_empty_recording(tmp_path):
    _, ended = run(listen(tmp_path, "level", record_offset_frames=2 * FS), Tones(FS))
    assert (ended.frames, ended.problem) == (0, "")


def rolled_through(below, interface, offset_frames):
    """The DI of a roll through an interface, its offset left out."""
    asked = order(
        below, plan=plan(play_bar=1, to_bar=2), device=SimulatedDevice(settings=interface), speed=0.0,
        parts=[part(below, setup=RigSetup(mics=[]), notes=baritone_part())], record_offset_frames=offset_frames,
    )  # fmt: skip
    Recorder(asked, source_of(asked), lambda _: None).run()
    return soundfile.read(take_file(asked, "DI"))[0]


@pytest.mark.parametrize("buffer_frames", BUFFER_FRAMES)
def test_by_the_measured_offset_a_take_lies_where_it_was_played(tmp_path, buffer_frames):
    """The pings tell the round trip; without it, the take holds the samples of one without any delay, to a sample."""
    interface = SimulatedInterface(buffer_frames=buffer_frames)
    run(listen(tmp_path, "latency", device=SimulatedDevice(settings=interface)))
    (recorded,) = (tmp_path / "latency").glob("*.wav")
    offset = measure_round_trip(soundfile.read(recorded)[0], rate_hz=FS).frames
    assert offset == pytest.approx(2 * buffer_frames + 63.4, abs=0.1)
    take = rolled_through(tmp_path / "late", interface, round(offset))
    at_once = SimulatedInterface(buffer_frames=32)
    true = rolled_through(tmp_path / "true", at_once, round(at_once.round_trip_frames()))
    assert np.abs(true).max() > 0.05
    assert any(np.array_equal(np.roll(take, shift)[2:-2], true[2:-2]) for shift in (-1, 0, 1))


def test_an_interface_at_another_rate_is_refused_before_anything_is_written(tmp_path):
    with pytest.raises(RollRefused, match="set one to the other"):
        source_of(listen(tmp_path, "noise", device=SimulatedDevice(settings=SimulatedInterface(clock_hz=44_100))))
    with pytest.raises(RollRefused, match="choose a part"):
        source_of(listen(tmp_path, "noise", setup=None))
