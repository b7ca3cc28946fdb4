"""Which channel of a part each channel of another one is."""

import pytest

from fatsignal.core.material.channels import Channel
from fatsignal.core.takes.gathering import check_names, match_channels
from fatsignal.errors import InvalidSetting

DI, MIC_A, MIC_B, SIM = Channel("di", "DI"), Channel("mic", "mic A"), Channel("mic", "mic B"), Channel("sim", "crunch")


def test_same_names_stay_and_others_go_by_their_kind():
    line, near, far = Channel("di", "line"), Channel("mic", "near"), Channel("mic", "far")
    assert match_channels([line, near, far], [DI, MIC_A, MIC_B]) == {line: DI, near: MIC_A, far: MIC_B}
    # A name that is there takes its own, wherever it stands.
    assert match_channels([near, MIC_A], [DI, MIC_A, MIC_B]) == {near: MIC_B, MIC_A: MIC_A}
    # What has no like there keeps its name.
    assert match_channels([DI, SIM, near, far], [DI, MIC_A]) == {DI: DI, SIM: SIM, near: MIC_A, far: far}
    assert match_channels([line], []) == {line: line}


def test_two_channels_never_become_one():
    check_names({DI: DI, MIC_A: MIC_B, MIC_B: MIC_A})
    with pytest.raises(InvalidSetting, match="mic A and mic B would both be mic A: choose one for each"):
        check_names({MIC_A: MIC_A, MIC_B: MIC_A})
    with pytest.raises(InvalidSetting, match="would have no name"):
        check_names({MIC_A: Channel("mic", "  ")})
