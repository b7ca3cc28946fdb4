"""librosa, an outside reference for pitch and strokes, imported by one process after the other.

Its generalised loops are compiled while it is imported, and kept. Where two processes do that at once, what is kept
of the one calls what was kept of the other: whoever imports it next dies (seen in a whole run of these tests).
"""

import fcntl

from tests.applications import ROOT

(ROOT / "build").mkdir(exist_ok=True)
with (ROOT / "build" / "librosa.lock").open("w") as lock:
    fcntl.flock(lock, fcntl.LOCK_EX)
    import librosa
    import librosa.core.pitch
    import librosa.feature.spectral
    import librosa.onset
    import librosa.sequence
    import librosa.util.utils

__all__ = ["librosa"]
