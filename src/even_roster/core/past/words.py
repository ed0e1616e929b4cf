"""What is known of a moment, in sentences that can be read aloud: what, how it is known, how old that is, and what is missing.
Pure."""

from __future__ import annotations

from collections.abc import Sequence

from ..absence import Reason
from ..plan.proof import span_of
from .deaf import DeafTime
from .looks import Series
from .rule import Known, Then


def told(who: str, then: Then, moment: int, deaf: Sequence[DeafTime] = (), rival: str = "") -> str:
    """What is known of a pair at a moment. `who` is its device, `deaf` the times between the facts in which no device could be
    asked, `rival` who or where `then.against` is."""
    said = _said(who, then, moment, rival)
    why = deaf[0].said if deaf else ""
    return f"{said[:-1]}; in between {why}." if why and then.known in (Known.PROBABLY, Known.UNKNOWN) else said


def _said(who: str, then: Then, moment: int, rival: str) -> str:
    before = span_of(moment - then.before) if then.before is not None else ""
    after = span_of(then.after - moment) if then.after is not None else ""
    if then.outline and then.before is not None:
        return f"It is not known whether {who} held it: its records are in outline, and end {before} before."
    if then.outline:
        return f"{who} held it at some time around then: records that old are folded, with gaps that are not kept."
    if then.leased:
        return f"It was leased to {who}, as its DHCP server told; whether that was there is not known: it has not answered."
    if then.known is Known.HELD:
        return (
            f"{who} held it: it answered then."
            if not then.apart
            else f"{who} held it: it answered {_apart(then.apart)}."
        )
    if then.known is Known.PROBABLY:
        return f"{who} probably held it: {_likely(then, before, after)}."
    if then.known is Known.SILENT:
        return f"{who} was silent when it was asked{_times(then, moment)}; it had answered last {before} before."
    return f"It is not known whether {who} held it: {_unsure(then, moment, before, after, rival)}."


def _apart(apart: int) -> str:
    return f"before and after, {span_of(apart)} apart at most"


def _likely(then: Then, before: str, after: str) -> str:
    if then.before is None:
        if then.apart is None:
            return (
                "it answered before and after; how far apart is not kept, and no look in between was without an answer"
            )
        return f"it answered {_apart(then.apart)}, and no look in between was without an answer"
    if then.after is not None:
        return f"it answered {before} before and {after} after, and no look tells of the time between"
    return f"it answered {before} before, and no look since was without an answer"


def _times(then: Then, moment: int) -> str:
    run = then.run
    if run is None:
        return ""
    count = f"{run.count} times" if run.count > 1 else "once"
    first = f" from {span_of(moment - run.first)} before" if run.first <= moment else ""
    last = run.last if then.asked is None else then.asked
    until = f" to {span_of(last - moment)} after" if last > moment else ""
    return f" ({count},{first}{until})" if first or until else f" ({count})"


def _unsure(then: Then, moment: int, before: str, after: str, rival: str) -> str:
    again = f", and again {after} after" if after else ""
    if then.against is not None:
        when = then.against.at - moment
        at = f"{span_of(when)} after" if when >= 0 else f"{span_of(-when)} before"
        return f"it answered {before} before{again}, but {rival} {at}"
    if then.asked is not None:
        return f"it answered {before} before, and was silent when it was asked {span_of(then.asked - moment)} after"
    if then.run is not None:
        ended = Reason(then.run.reason).words
        silent = f"it was silent when it was asked last, {span_of(moment - then.run.last)} before"
        return f"{silent}{f' ({ended})' if ended else ''}, after it had answered {before} before{again}"
    if then.before is None:
        return f"it answered {_apart(then.apart or 0)}"
    return f"it answered {before} before{again}, and no look tells of the time {'between' if again else 'since'}"


def nobody(before: Series | None, after: Series | None, moment: int, answered: bool) -> str:
    """What looks say of an address at which no device is known to have answered then; `answered` where one had before."""
    who = "no other device answered" if answered else "no device answered"
    if before is None and after is None:
        return "No look at it around then is on record."
    inside = before if before is not None and before.last >= moment else None
    if inside is not None and inside.count > 1:
        return f"It was asked then at least every {span_of(inside.every)}, by {inside.kind.words}: {who}."
    parts = []
    if before is not None:
        parts.append(f"{span_of(max(moment - before.last, 0))} before (by {before.kind.words})")
    if after is not None:
        parts.append(f"{span_of(after.next_by(moment) - moment)} after (by {after.kind.words})")
    return f"It was asked {' and '.join(parts)}: {who}."
