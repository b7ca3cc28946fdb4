"""What is found in a take: one thing at one place, with its size, in words that a player would use."""

from dataclasses import dataclass
from typing import Literal

Kind = Literal[
    "missing", "extra", "late", "early", "flat", "sharp", "choked", "rings over", "clipped", "lost", "quiet", "loud",
    "noisy", "bleed", "behind", "ahead", "drags", "rushes",
]  # fmt: skip
Verdict = Literal["look", "fix"]

# The worst first: what cannot be undone, then what is not there, then how it is played, then how loud.
_ORDER: tuple[Kind, ...] = (
    "lost", "clipped", "missing", "choked", "extra", "rings over", "flat", "sharp", "late", "early", "behind",
    "ahead", "drags", "rushes", "bleed", "noisy", "quiet", "loud",
)  # fmt: skip
_FIX: frozenset[Kind] = frozenset({"lost", "clipped"})


@dataclass(frozen=True, slots=True)
class Finding:
    """`at_frame` lies on the session's time line; `amount` is in the unit of its kind: ms, cents, dB, or how many."""

    kind: Kind
    at_frame: int
    amount: float
    says: str
    to_frame: int | None = None
    channel: str | None = None

    @property
    def verdict(self) -> Verdict:
        return verdict_of(self.kind)

    @property
    def rank(self) -> tuple[int, float]:
        """By which the worst comes first."""
        return _ORDER.index(self.kind), -abs(self.amount)


def verdict_of(kind: Kind) -> Verdict:
    """What is lost or clipped cannot be undone; of all else a person judges."""
    return "fix" if kind in _FIX else "look"


def in_words(kind: Kind, amount: float) -> str:
    """A finding as at most three words."""
    size = abs(amount)
    match kind:
        case "missing":
            return "note missing" if size <= 1 else f"{size:.0f} notes missing"
        case "extra":
            return "extra note" if size <= 1 else f"{size:.0f} extra notes"
        case "late" | "early":
            return f"{kind} {size:.0f} ms"
        case "flat" | "sharp":
            return f"{kind} {size:.0f} cents"
        case "choked":
            return "choked note"
        case "rings over":
            return "rings over"
        case "clipped":
            return "clipped" if size <= 1 else f"clipped {size:.0f} times"
        case "lost":
            return f"{size:.0f} ms lost"
        case "quiet":
            return f"quieter {size:.0f} dB"
        case "loud":
            return f"louder {size:.0f} dB"
        case "noisy":
            return "noise between notes"
        case "bleed":
            return "click bleeds in"
        case _:
            return f"{kind} {size:.0f} ms"


def explained(finding: Finding) -> str:
    """What was heard, and against what: the sentence beside the evidence."""
    size = abs(finding.amount)
    match finding.kind:
        case "missing":
            return "most other takes strike here, and in this one nothing is struck"
        case "extra":
            return "a stroke that hardly any other take has"
        case "late" | "early":
            where = "after" if finding.kind == "late" else "before"
            return f"{size:.0f} ms {where} where the strokes around it would have it"
        case "flat" | "sharp":
            below = "below" if finding.kind == "flat" else "above"
            return (
                f"{size:.0f} cents {below} what the takes agree on, and off from the same note elsewhere in this take"
            )
        case "choked":
            return "it dies at once where the other takes ring"
        case "rings over":
            return f"{size:.0f} dB louder than the other takes where they have let go"
        case "clipped":
            return f"flat tops in {finding.channel}: too hot for the converter, and it cannot be undone"
        case "lost":
            return f"the interface lost {size:.0f} ms here; everything after keeps its time"
        case "behind" | "ahead":
            side = "behind" if finding.kind == "behind" else "ahead of"
            return f"the whole phrase lies {size:.0f} ms {side} the click in the mean"
        case "drags" | "rushes":
            how = "later" if finding.kind == "drags" else "earlier"
            return f"against the click the end of the phrase is {size:.0f} ms {how} than its beginning"
        case "noisy":
            return f"where the takes are silent this one is {size:.0f} dB louder, measured from its own playing"
        case "bleed":
            return f"the click lies {size:.0f} dB below the playing in {finding.channel}: turn the phones down"
        case "quiet" | "loud":
            return (
                f"the whole phrase is {size:.0f} dB {'below' if finding.kind == 'quiet' else 'above'} the other takes"
            )
        case _:
            return finding.says


def worst_first(findings: list[Finding]) -> list[Finding]:
    """One of each kind, the worst first: several missing notes are told as one mark with their number."""
    by_kind: dict[Kind, list[Finding]] = {}
    for finding in findings:
        by_kind.setdefault(finding.kind, []).append(finding)
    told = []
    for kind, found in by_kind.items():
        worst = max(found, key=lambda finding: abs(finding.amount))
        if kind in ("missing", "extra", "clipped") and len(found) > 1:
            worst = Finding(kind, worst.at_frame, len(found), in_words(kind, len(found)), worst.to_frame, worst.channel)
        told.append(worst)
    return sorted(told, key=lambda finding: finding.rank)
