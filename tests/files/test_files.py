import json
import struct
import subprocess
from datetime import datetime
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from fatsignal.errors import FileRefused, InvalidSetting
from fatsignal.files.bext import BextChunk, unpack_bext
from fatsignal.files.names import file_name
from fatsignal.files.reamp import reamp_file
from fatsignal.files.sound import read_blocks, read_clip
from fatsignal.files.sound_writer import write_sound
from fatsignal.files.wave_writer import WaveWriter, read_bext
from fatsignal.tones import find_tone
from tests.signals import FS, noise, plucks, sine

NOTE = BextChunk(
    description="Baritone 03 - DI", originated_at=datetime(2026, 11, 24, 20, 41, 5), time_reference_frames=5_000_000_000
)
SAMPLES = next(Path("/usr/share/sonic-pi").rglob("guit_*.flac"), Path()).parent


def probe(path):
    done = subprocess.run(
        ["ffprobe", "-v", "error", "-show_entries", "stream:format_tags", "-of", "json", str(path)],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    found = json.loads(done.stdout)
    return found["streams"][0], found["format"].get("tags", {})


@pytest.mark.parametrize(("depth", "codec"), [("16", "pcm_s16le"), ("24", "pcm_s24le"), ("32f", "pcm_f32le")])
def test_broadcast_wav_is_understood_by_a_reference_reader(tmp_path, depth, codec):
    """EBU Tech 3285: ffprobe reads description, originator, date and a time reference beyond 32 bits."""
    path = tmp_path / "take.wav"
    signal = 0.5 * sine(440.0)
    write_sound(path, [signal[:, None]], rate_hz=FS, channels=1, depth=depth, note=NOTE)
    stream, tags = probe(path)
    assert (stream["codec_name"], stream["sample_rate"], stream["channels"]) == (codec, "48000", 1)
    assert int(stream["duration_ts"]) == FS
    assert tags["comment"] == "Baritone 03 - DI"
    assert tags["encoded_by"] == "Fat Signal"
    assert (tags["date"], tags["creation_time"]) == ("2026-11-24", "20:41:05")
    assert tags["time_reference"] == "5000000000"
    # And the audio is that which went in, to the step of its depth.
    back, _ = soundfile.read(path)
    np.testing.assert_allclose(back, signal, atol={"16": 2.0**-14, "24": 2.0**-23, "32f": 1e-7}[depth])


def test_flac_passes_its_own_checker(tmp_path):
    """RFC 9639 by `flac -t`; the samples are those of the WAV."""
    signal = np.clip(0.3 * noise(1), -1, 1)[:, None]
    for depth in ("16", "24"):
        path = tmp_path / f"take{depth}.flac"
        write_sound(path, [signal], rate_hz=FS, channels=1, depth=depth, note=NOTE)
        subprocess.run(["flac", "-t", "-s", str(path)], check=True)
        back, _ = soundfile.read(path)
        np.testing.assert_allclose(back, signal[:, 0], atol=2.0 ** -(int(depth) - 2))


@given(st.text(max_size=400), st.integers(0, 2**63), st.datetimes(datetime(1970, 1, 1)))
def test_bext_reads_back_what_was_packed(description, frames, moment):
    note = BextChunk(description=description, originated_at=moment, time_reference_frames=frames)
    body = note.pack()
    assert len(body) >= 602
    assert len(body) % 2 == 0
    back = unpack_bext(body)
    assert back.time_reference_frames == frames
    assert back.originated_at == moment.replace(microsecond=0, tzinfo=None, fold=0)


def test_a_growing_file_is_whole_after_every_flush(tmp_path):
    path = tmp_path / "roll.wav"
    writer = WaveWriter(path, rate_hz=FS, note=NOTE)
    for count in range(1, 6):
        writer.write(np.full((1000, 1), 0.25))
        writer.flush()
        seen, _ = soundfile.read(path)
        assert len(seen) == 1000 * count
    writer.write(np.full((500, 1), 0.5))
    # Not flushed: the header does not know the last block, but the block is in the file.
    assert path.stat().st_size > len(seen) * 3 + 500
    writer.close()
    assert len(soundfile.read(path)[0]) == 5500
    assert unpack_bext(read_bext(path) or b"").time_reference_frames == 5_000_000_000


def test_beyond_4_gib_it_becomes_an_rf64_in_place(tmp_path, monkeypatch):
    """EBU Tech 3306; with the limit lowered, so that no disk is filled. ffprobe and libsndfile read it."""
    path = tmp_path / "long.wav"
    with WaveWriter(path, rate_hz=FS, note=NOTE) as writer:
        monkeypatch.setattr("fatsignal.files.wave_writer._LARGEST_RIFF_BYTES", 10_000)
        writer.write(0.1 * noise(1)[:, None])
    head = path.read_bytes()[:48]
    assert head[:4] == b"RF64"
    assert head[12:16] == b"ds64"
    riff_size, data_size, frames = struct.unpack("<QQQ", head[20:44])
    assert (data_size, frames) == (FS * 3, FS)
    assert riff_size == path.stat().st_size - 8
    assert soundfile.info(path).frames == FS
    assert int(probe(path)[0]["duration_ts"]) == FS


def test_a_recorded_file_is_never_written_over(tmp_path):
    path = tmp_path / "take.wav"
    path.write_bytes(b"precious")
    with pytest.raises(FileExistsError):
        WaveWriter(path, rate_hz=FS)
    with pytest.raises(InvalidSetting, match="exists already"):
        write_sound(path, [np.zeros((1, 1))], rate_hz=FS, channels=1)
    assert path.read_bytes() == b"precious"


def wav_header(*, rate_hz=FS, channels=1, data=b"", claims=None, bits=16):
    block = channels * bits // 8
    fmt = struct.pack("<HHIIHH", 1, channels, rate_hz, rate_hz * block, block, bits)
    size = len(data) if claims is None else claims
    return (
        b"RIFF"
        + struct.pack("<I", 36 + size)
        + b"WAVEfmt "
        + struct.pack("<I", 16)
        + fmt
        + b"data"
        + struct.pack("<I", size)
        + data
    )


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "is empty"),
        (b"dear diary", "not a sound file"),
        (wav_header(), "length is 0"),
        (wav_header()[:20], "not a sound file"),
        (wav_header(rate_hz=0, data=bytes(200)), "not a sound file|0 Hz"),
        (wav_header(rate_hz=1_000_000, data=bytes(200)), "1000000 Hz"),
        (wav_header(channels=64, data=bytes(64 * 20)), "64 channels"),
    ],
)
def test_files_that_are_none_are_refused_in_a_sentence(tmp_path, content, says):
    path = tmp_path / "my di.wav"
    path.write_bytes(content)
    with pytest.raises(FileRefused, match=says):
        read_clip(path)
    with pytest.raises(FileRefused, match=r"my di\.wav"):
        read_clip(path)


def test_a_truncated_file_is_read_as_far_as_it_goes(tmp_path):
    path = tmp_path / "cut.wav"
    path.write_bytes(wav_header(data=bytes(2000), claims=1_000_000))
    assert read_clip(path).frames == 1000


def test_samples_that_are_no_numbers_are_refused(tmp_path):
    path = tmp_path / "nan.wav"
    soundfile.write(path, np.array([0.0, np.nan, np.inf, 0.1]), FS, subtype="FLOAT")
    with pytest.raises(FileRefused, match="2 of 4 samples are not finite numbers, the first at frame 1"):
        read_clip(path)


@pytest.mark.parametrize("rate_hz", [8_000, 22_050, 44_100, 96_000, 192_000])
def test_any_rate_arrives_at_the_rate_asked_for_at_its_pitch_and_place(tmp_path, rate_hz):
    path = tmp_path / "di.wav"
    soundfile.write(path, 0.5 * sine(1000.0, rate_hz=rate_hz), rate_hz, subtype="PCM_24")
    back = np.concatenate(list(read_blocks(path, rate_hz=FS)))[:, 0]
    assert abs(len(back) - FS) <= 1
    middle = slice(FS // 4, 3 * FS // 4)
    np.testing.assert_allclose(back[:FS][middle], 0.5 * sine(1000.0)[: len(back)][middle], atol=2e-3)


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("Baritone 03", "Baritone 03"),
        ("../../etc/passwd", "etc passwd"),
        ("a\"b'c", "a b'c"),
        ("🎸 riff", "riff"),
        ("🎸", "Untitled"),
        ("", "Untitled"),
        (" .hidden. ", "hidden"),
        ("con", "Untitled"),
        ("Gitarre äöü", "Gitarre äöü"),
        ("x" * 300, "x" * 80),
        ("a\x00b\nc", "a b c"),
    ],
)
def test_names_become_good_file_names(name, expected):
    assert file_name(name) == expected


@given(st.text(max_size=400))
def test_no_name_is_ever_a_path(name):
    found = file_name(name)
    assert "/" not in found
    assert "\\" not in found
    assert found not in ("", ".", "..")
    assert len(found.encode()) <= 255 or len(found) <= 80


# Re-amping files


@pytest.mark.parametrize("name", ["guit_e_fifths.flac", "guit_em9.flac", "guit_e_slide.flac", "guit_harmonics.flac"])
def test_real_electric_guitar_goes_through_import_reamp_and_export(tmp_path, name):
    """Openly licensed recordings of Debian's package sonic-pi-samples."""
    source, target = SAMPLES / name, tmp_path / "wet.wav"
    facts = soundfile.info(source)
    shares = []
    frames = reamp_file(source, target, find_tone("Kiln"), rate_hz=FS, note=NOTE, on_progress=shares.append)
    assert frames == soundfile.info(target).frames == pytest.approx(facts.frames * FS / facts.samplerate, abs=2)
    wet, _ = soundfile.read(target, always_2d=True)
    assert -50 < 20 * np.log10(wet.std()) < 0
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    # The note is still the note: where the dry recording has its strongest low partial, the wet one has one.
    dry = np.concatenate(list(read_blocks(source, rate_hz=FS)))[:, 0]
    spectra = [np.abs(np.fft.rfft(x[: 2 * FS] * np.hanning(len(x[: 2 * FS])), 4 * FS)) for x in (dry, wet[:, 0])]
    low = slice(4 * 60, 4 * 700)
    strongest = int(np.argmax(spectra[0][low])) + low.start
    near = spectra[1][strongest - 8 : strongest + 9].max()
    assert near > 0.05 * spectra[1][low].max()


def test_the_same_di_through_the_same_tone_gives_the_same_bytes(tmp_path):
    source = tmp_path / "di.wav"
    soundfile.write(source, plucks(2.0), FS, subtype="PCM_24")
    results = []
    for number, threads in enumerate((2, 2, 1)):
        target = tmp_path / f"{number}.wav"
        reamp_file(source, target, find_tone("Foundry"), note=NOTE, threads=threads)
        results.append(target.read_bytes())
    assert results[0] == results[1] == results[2]


def test_a_rendering_that_is_given_up_leaves_nothing(tmp_path):
    source, target = tmp_path / "di.wav", tmp_path / "wet.wav"
    soundfile.write(source, plucks(2.0), FS)

    def give_up(share):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        reamp_file(source, target, find_tone("Kiln"), on_progress=give_up)
    assert not target.exists()
