"""What a person does to a tone, as rules from one document to the next."""

import pytest

from fatsignal.core.tone.blocks import KINDS, Equaliser, Gate, SpeakerAndMics, Trim
from fatsignal.core.tone.controls import controls_of
from fatsignal.core.tone.document import MOST_BLOCKS, Tone
from fatsignal.core.tone.edits import (
    AddBlock,
    AddRow,
    BypassBlock,
    CopyBlock,
    MoveBlock,
    RemoveBlock,
    RemoveRow,
    SetOversampling,
    SetValue,
    edited,
)
from fatsignal.errors import ToneRefused
from fatsignal.tones import find_tone

TONE = find_tone("Kiln")
KINDS_OF = [block.kind for block in TONE.blocks]


def kinds(tone):
    return [block.kind for block in tone.blocks]


def test_a_value_is_turned_and_said_with_its_unit():
    turned, says = edited(TONE, SetValue(block=4, kind="trim", path=["gain_db"], value=-12.5))
    assert turned.blocks[4] == Trim(gain_db=-12.5)
    assert turned.blocks[:4] == TONE.blocks[:4]
    assert says == "Trim: out -12.5 dB"
    deeper, says = edited(TONE, SetValue(block=3, kind="speaker", path=["mics", 1, "distance_m"], value=0.2))
    assert deeper.blocks[3].mics[1].distance_m == 0.2
    assert says == "Cab and mics: distance 0.2 m"
    whole, _ = edited(TONE, SetValue(block=0, kind="first_stages", path=["stages"], value=3.0))
    assert whole.blocks[0].stages == 3


@pytest.mark.parametrize(
    ("edit", "says"),
    [
        (SetValue(block=4, kind="trim", path=["gain_db"], value=900), "less than or equal to 40, not 900"),
        (SetValue(block=4, kind="gate", path=["gain_db"], value=1), "the block there is Trim now"),
        (SetValue(block=9, kind="trim", path=["gain_db"], value=1), "5 blocks, and none at place 10"),
        (SetValue(block=4, kind="trim", path=["loudness"], value=1), "Trim has no loudness"),
        (SetValue(block=4, kind="trim", path=["kind"], value="gate"), "not a value that is turned"),
        (SetValue(block=3, kind="speaker", path=["mics"], value="coil"), "not a value that is turned"),
        (SetValue(block=3, kind="speaker", path=["mics", 7, "gain_db"], value=1), "has no mics 7 gain_db"),
        (SetValue(block=4, kind="trim", path=["gain_db"], value=True), "gain_db"),
        (AddBlock(kind="flux", at=0), "there is no block of the kind flux"),
        (RemoveRow(block=3, field="mics", row=5), "has 2 mics"),
        (AddRow(block=4, field="bands"), "no list of bands"),
    ],
)
def test_what_cannot_be_is_refused_with_a_sentence(edit, says):
    with pytest.raises(ToneRefused, match=says):
        edited(TONE, edit)


def test_blocks_are_added_moved_copied_bypassed_and_removed():
    added, says = edited(TONE, AddBlock(kind="gate", at=0))
    assert (kinds(added), says) == (["gate", *KINDS_OF], "Gate added")
    moved, _ = edited(added, MoveBlock(block=0, to=2))
    assert kinds(moved) == [*KINDS_OF[:2], "gate", *KINDS_OF[2:]]
    assert kinds(edited(moved, MoveBlock(block=2, to=23))[0])[-1] == "gate"
    copied, _ = edited(TONE, CopyBlock(block=1))
    assert copied.blocks[1] == copied.blocks[2] == TONE.blocks[1]
    assert kinds(edited(copied, RemoveBlock(block=1))[0]) == KINDS_OF
    off, says = edited(TONE, BypassBlock(block=2, bypassed=True))
    assert (off.blocks[2].bypassed, says) == (True, "Power stage bypassed")
    assert off.fingerprint() != TONE.fingerprint()
    assert edited(off, BypassBlock(block=2, bypassed=False))[0] == TONE
    assert edited(TONE, SetOversampling(factor=8))[0].oversample == 8


def test_a_tone_has_one_block_at_least_and_so_many_at_most():
    alone = Tone(name="x", blocks=[Trim()])
    with pytest.raises(ToneRefused, match="one block at least: bypass it"):
        edited(alone, RemoveBlock(block=0))
    full = Tone(name="x", blocks=[Trim()] * MOST_BLOCKS)
    for edit in (AddBlock(kind="trim", at=3), CopyBlock(block=0)):
        with pytest.raises(ToneRefused, match=f"{MOST_BLOCKS} blocks at most"):
            edited(full, edit)


def test_rows_of_a_block_come_and_go():
    more, says = edited(TONE, AddRow(block=3, field="mics"))
    assert more.blocks[3].mics[2] == TONE.blocks[3].mics[1]
    assert says == "Cab and mics: mic added"
    assert edited(more, RemoveRow(block=3, field="mics", row=2))[0] == TONE
    one = edited(TONE, RemoveRow(block=3, field="mics", row=0))[0]
    with pytest.raises(ToneRefused, match="mics"):
        edited(one, RemoveRow(block=3, field="mics", row=0))


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_whatever_is_shown_can_be_set_to_its_limits(kind):
    block = kind.example()
    tone = Tone(name="x", blocks=[block])
    groups, _ = controls_of(block)
    for control in (each for group in groups for each in group.controls):
        ends = {"number": (control.low, control.high), "choice": control.choices, "switch": (True, False), "file": ()}
        assert control.label
        for value in ends[control.shape]:
            edit = SetValue(block=0, kind=block.kind, path=list(control.path), value=value)
            turned, says = edited(tone, edit)
            assert says.startswith(f"{block.TITLE}: ")
            assert turned.blocks[0] != block or value == control.value


def test_controls_carry_units_limits_and_what_can_be_added():
    groups, extensible = controls_of(Equaliser.example())
    (band,) = groups
    frequency = next(each for each in band.controls if each.label == "frequency")
    assert (frequency.unit, frequency.low, frequency.high, frequency.even) == ("Hz", 20, 20_000, "ratios")
    assert not band.removable
    assert [each.label for each in extensible] == ["band"]
    groups, extensible = controls_of(SpeakerAndMics(mics=[{"kind": "coil"}] * 4))
    assert [group.removable for group in groups] == [False, True, True, True, True]
    assert extensible == []
    groups, _ = controls_of(Gate())
    assert [each.label for each in groups[0].controls][:1] == ["threshold"]
