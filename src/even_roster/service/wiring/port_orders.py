"""Switches ports and their power off and on: judges, writes down, and sends, one order at a switch after the other.

Judging and sending stand under one short lock, so that two orders that are each harmless never cut together; no answer is waited
for under it, and a port that was told to be off counts as off from then on. Whoever orders is answered within ANSWER_SECONDS: with
how it ended, or with that it was sent and is followed."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable, Coroutine
from dataclasses import dataclass, field
from typing import Any, TypeVar

from ...api.events import SwitchEvent
from ...api.port_orders import PortOrderNew
from ...api.switches import Credential
from ...core.wiring.guard import FRESH_MS, asked_name
from ...probe.segment import SegmentError
from ...probe.snmp_agent import Agent, AgentError
from ...store import order_records
from ...store.edits import EditError, Missing
from ...store.order_records import DONE, FAILED, GIVEN, OFF_FOR_NOW, SENT, UNKNOWN, OrderRow
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from ..switches import credential_edits
from ..switches.agent_reading import authenticates
from ..switches.picture import Names
from ..switches.switch_reader import HOUR_MS, SwitchReader
from ..watching.watcher import Watcher
from ..web.problems import Refusal
from .guard_facts import Judged, judged
from .order_queues import OrderQueues, busy
from .order_returning import Returning, look_at
from .order_sending import OFF, ON, Target, Unsure, reached, set_and_read_back
from .seats import HERE, Seat

ANSWER_SECONDS = 4.0
"""Whoever orders is answered by then; what is not over goes on and is told by its state."""
ROUNDS = 3
_SHORT_MS = FRESH_MS // 2
"""A reading that is older is made anew before the guard judges, so that it is fresh when it does."""
_log = logging.getLogger(__name__)
_T = TypeVar("_T")
Gone = Callable[[], Awaitable[bool]]


@dataclass(slots=True)
class _Course:
    """How far an order is: until when its asker waits (the loop's time), whether there is no way back, and its id then."""

    until: float
    begun: bool = False
    kept: asyncio.Future[int] = field(default_factory=lambda: asyncio.get_running_loop().create_future())


class PortOrders:
    """The orders of one service."""

    def __init__(self, context: Context, watcher: Watcher, reader: SwitchReader) -> None:
        self._context, self._watcher, self._reader = context, watcher, reader
        self.queues = OrderQueues()
        self._judging = asyncio.Lock()
        self._refused: dict[tuple[int, int], int] = {}
        self._tasks: set[asyncio.Task[Any]] = set()
        self.returning = Returning(context, watcher, reader)

    def begin(self) -> None:
        """Take up what was left open: what is off for now comes back at its time."""
        self.returning.begin()

    async def close(self) -> None:
        """Stop; what is off for now is taken up again at the next start."""
        await self.returning.close()
        for task in list(self._tasks):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task

    # What is to be known before

    def known(self, identity: int) -> tuple[SwitchNow, PortNow]:
        """A port with its switch. Raises Missing."""
        found = self._context.switches.port(identity)
        if found is None:
            raise Missing(f"there is no port {identity} of a switch that is read")
        return found

    async def look(self, identity: int, seat: Seat, by: int | str = "") -> Judged:
        """What the guard says of a port, for a credential to order by: the switches on the way are read anew as far as they must
        be. Raises Missing, EditError."""
        key = await asyncio.to_thread(self._key, by) if by else None
        tried: set[int] = set()
        for _ in range(ROUNDS):
            found = await self._judged(identity, seat, key)
            on_way = {*found.verdict.switches, self.known(identity)[0].row.id}
            old = {number for number in on_way if self._age(number) > _SHORT_MS}
            weak = (
                set() if key is None else await asyncio.to_thread(self._to_try, identity, {*found.weakly} - tried, key)
            )
            again = {*found.verdict.again} - tried
            if not old | weak | again:
                return found
            tried |= weak | again
            if again:
                await self._watcher.confirm(
                    found.ask
                )  # who answers now is where it is learnt in the reading that follows
            ways = {number: key if number in found.weakly else None for number in old | weak | again}
            await asyncio.gather(*(self._read(number, way) for number, way in ways.items()))
        return await self._judged(identity, seat, key)

    def _to_try(self, identity: int, weakly: set[int], key: int) -> set[int]:
        """Which switches are read by the credential that orders, to be more certain of them: the one that is ordered, and others
        where that authenticates and they did not refuse it within the last hour."""
        credential, target = credential_edits.opened(self._context).get(key), self.known(identity)[0].row.id
        if credential is None or not authenticates(credential):
            return weakly & {target}
        since = now_ms() - HOUR_MS
        return {number for number in weakly if number == target or self._refused.get((number, key), 0) < since}

    async def _judged(self, identity: int, seat: Seat, key: int | None) -> Judged:
        switch, port = self.known(identity)
        return await asyncio.to_thread(judged, self._context, switch, port, seat, key)

    def _age(self, switch: int) -> int:
        known = self._context.switches.switches.get(switch)
        return now_ms() - (known.row.learnt or 0) if known is not None else 0

    async def _read(self, switch: int, key: int | None = None) -> bool:
        """Read a switch, and say whether it was read; it is read to the end, too, where nobody waits for it any more."""
        return await asyncio.shield(self._task(self._read_whole(switch, key)))

    async def _read_whole(self, switch: int, key: int | None) -> bool:
        try:
            await self._reader.read(switch, key)
        except (Refusal, EditError):
            if key is not None:
                self._refused[switch, key] = now_ms()
            return False
        return True

    def asks_for(self, port: PortNow, called: str) -> str:
        """The name to type before a port is switched off."""
        with self._context.database.read() as connection:
            names = Names(self._context, connection)
            macs = [stay.mac for stay in port.here]
            names.learn(macs)
            return asked_name([names.said(mac) for mac in macs], called)

    # Orders

    async def give(self, identity: int, request: PortOrderNew, who: str, seat: Seat, gone: Gone) -> OrderRow:
        """Carry an order out; gives it as it ended, or as it stands after ANSWER_SECONDS. One whose asker is `gone` before it was
        sent is not carried out. Raises Missing, EditError, Refusal."""
        course = _Course(asyncio.get_running_loop().time() + ANSWER_SECONDS)
        task = self._task(self._in_turn(identity, request, who, seat, gone, course))
        await asyncio.wait({task}, timeout=ANSWER_SECONDS)
        if task.done():
            return task.result()
        if course.begun:
            either: set[asyncio.Future[Any]] = {task, course.kept}
            await asyncio.wait(either, return_when=asyncio.FIRST_COMPLETED)
            return task.result() if task.done() else await asyncio.to_thread(self.order, course.kept.result())
        task.cancel()
        raise busy(f"the switches on the way could not be asked within {ANSWER_SECONDS:g} seconds")

    def _task(self, work: Coroutine[Any, Any, _T]) -> asyncio.Task[_T]:
        task = asyncio.create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._ended)
        return task

    def _ended(self, task: asyncio.Task[Any]) -> None:
        """Whoever waits is told how it ended; a fault of our own is logged, too, since perhaps nobody waits any more."""
        self._tasks.discard(task)
        error = None if task.cancelled() else task.exception()
        if error is not None and not isinstance(error, (Refusal, EditError, Missing, AgentError, SegmentError)):
            _log.error("an order ended by a fault", exc_info=error)

    async def _in_turn(
        self, identity: int, request: PortOrderNew, who: str, seat: Seat, gone: Gone, course: _Course
    ) -> OrderRow:  # fmt: skip
        switch, port = self.known(identity)
        name = await asyncio.to_thread(self._name, switch)
        called = f"{name} port {port.name}"
        async with self.queues.turn(switch.row.id, name, course.until):
            credential, key = await asyncio.to_thread(self._credential, request)
            self._sensible(request, port)
            if request.to == "off":
                await self.look(identity, seat, request.credential)
            switch, port = self.known(identity)
            target = Target(switch, port, request.what, credential)
            _ = target.object  # nothing is written down of what the port does not have
            values: dict[str, Any] = {
                "switch": switch.row.id, "port": port.id, "what": request.what, "to": request.to, "at": now_ms(),
                "who": who if seat.said in ("", HERE) else f"{who}, at {seat.said}", "credential": key,
                "until": now_ms() + request.for_seconds * 1000 if request.for_seconds is not None else None,
                "state": GIVEN, "said": "it is being carried out", "said_at": now_ms(), "consents": [],
            }  # fmt: skip
            return await self._send(target, request, seat, gone, called, values, course)

    async def _send(
        self, target: Target, request: PortOrderNew, seat: Seat, gone: Gone, called: str, values: dict[str, Any], course: _Course
    ) -> OrderRow:  # fmt: skip
        try:
            async with reached(self._context, self._watcher, target) as agent:
                async with self._judging:
                    await asyncio.to_thread(self._alone, request, target.port)
                    if request.to == "off":
                        values["consents"] = await self._permitted(
                            target.port.id, request, seat, called, values["credential"]
                        )
                    if await gone():
                        raise Refusal(409, "gone", f"whoever ordered {called} is gone: nothing was done", "port")
                    course.begun = True
                    row = await self._kept(values, course)
                    self.returning.sending.add(row.id)
                    setting = self._task(set_and_read_back(agent, target, OFF if row.to == "off" else ON))
                    await asyncio.sleep(0)  # it is on its way before the next order is judged
                try:
                    await self._follow(row, setting, target, agent, called)
                finally:
                    self.returning.sending.discard(row.id)
        except (AgentError, SegmentError) as error:
            course.begun = True
            said = f"{_what(values['what'], called)} is as it was: {error}"
            row = await self._kept({**values, "state": FAILED, "said": said, "said_at": now_ms()}, course)
        if not await self._read(target.switch.row.id, values["credential"]):
            await self._read(target.switch.row.id)
        self._context.tell(SwitchEvent(id=target.switch.row.id))
        return await asyncio.to_thread(self.order, row.id)

    async def _kept(self, values: dict[str, Any], course: _Course) -> OrderRow:
        row = await asyncio.to_thread(self._keep, values)
        course.kept.set_result(row.id)
        return row

    def _sensible(self, request: PortOrderNew, port: PortNow) -> None:
        if request.for_seconds is not None and request.to != "off":
            raise EditError("only what is switched off can come back by itself", "for_seconds")
        if port.state is None or not port.there:
            raise EditError(f"its switch does not tell of port {port.name} any more", "port")

    def _alone(self, request: PortOrderNew, port: PortNow) -> None:
        """What is off for now is not switched off once more."""
        with self._context.database.read() as connection:
            rows = [
                one for one in order_records.open_ones(connection) if (one.port, one.what) == (port.id, request.what)
            ]
        if rows and request.to == "off":
            raise EditError(f"it is switched off already, by {rows[0].who}; switch it on first", "to")

    async def _permitted(
        self, identity: int, request: PortOrderNew, seat: Seat, called: str, key: int
    ) -> list[str]:  # fmt: skip
        """What is not verified where an order is permitted, all of which it consents to. Raises Refusal, EditError."""
        found = await self._judged(identity, seat, key)
        if found.verdict.refusals:
            raise Refusal(409, "guarded", f"{called} stays as it is: {'; '.join(found.verdict.refusals)}", "port")
        _, port = self.known(identity)
        wanted = await asyncio.to_thread(self.asks_for, port, called)
        if request.name.strip().casefold() != wanted.casefold():
            raise EditError(f"type the name {wanted!r} to switch off {called}", "name")
        unverified = found.unverified(request.what)
        if more := [one for one in unverified if one not in request.consents]:
            raise EditError(
                f"{called} stays as it is, because this is not verified: {'; '.join(more)}; send these sentences in "
                "'consents' (--consent) if you have checked this yourself", "consents",
            )  # fmt: skip
        return unverified

    def _credential(self, request: PortOrderNew) -> tuple[Credential, int]:
        key = self._key(request.credential)
        credential = credential_edits.opened(self._context).get(key)
        if credential is None:
            raise EditError(f"the credential {request.credential} cannot be opened; enter it again", "credential")
        if not (authenticates(credential) and credential.privacy != "none") and not request.weak:
            raise EditError(
                f"{request.credential} does not encrypt: whoever listens on the way could switch ports with it; consent with "
                "'weak'", "weak",
            )  # fmt: skip
        return credential, key

    def _key(self, credential: int | str) -> int:
        with self._context.database.read() as connection:
            return int(credential_edits.find(connection, credential).id)

    def _name(self, switch: SwitchNow) -> str:
        with self._context.database.read() as connection:
            return Names(self._context, connection).switch(switch)[1]

    def _keep(self, values: dict[str, Any]) -> OrderRow:
        with self._context.database.write() as connection:
            identity = order_records.add(connection, values)
        return self.order(identity)

    def order(self, identity: int) -> OrderRow:
        """One order. Raises Missing where there is none, or its port is not kept any more."""
        with self._context.database.read() as connection:
            found = order_records.one(connection, identity)
        if found is None or found.port not in self._context.switches.by_port:
            raise Missing(f"there is no order {identity}")
        return found

    async def _follow(
        self, row: OrderRow, setting: asyncio.Task[None], target: Target, agent: Agent, called: str
    ) -> None:  # fmt: skip
        """Tell how an order stands until its switch has said how the port is."""
        what = _what(row.what, called)
        said = f"{what} was told to be {row.to}, and its switch has not said yet that it is"
        await self.returning.settle(row, SENT, said)
        try:
            await setting
        except Unsure as error:
            await self._unsure(row, target, agent, what, error)
        except (AgentError, SegmentError, EditError) as error:
            await self.returning.settle(row, FAILED, f"{what} is as it was: {error}")
        else:
            state = OFF_FOR_NOW if row.until is not None else DONE
            await self.returning.settle(row, state, f"{what} is {row.to}, as its switch says itself")
            if row.until is not None:
                self.returning.later(row)
            if row.to == "on":
                await asyncio.to_thread(self.returning.by_hand, row)

    async def _unsure(self, row: OrderRow, target: Target, agent: Agent, what: str, error: Unsure) -> None:
        """It may have been done all the same, and be why nothing comes back: what was to be off is switched on. Where that cannot
        be told either, what was to come back comes back at its time."""
        if row.to == "off":
            try:
                await set_and_read_back(agent, target, ON)
            except (AgentError, SegmentError, EditError):
                if row.until is not None:
                    said = f"whether {what} is off is not known: {error}; it is switched on at its time in any case"
                    await self.returning.settle(row, OFF_FOR_NOW, said)
                    self.returning.later(row)
                    return
            else:
                await self.returning.settle(row, FAILED, f"{what} is on, as its switch says itself: {error}")
                return
        said = f"whether {what} is {row.to} is not known: {error}; {look_at(row.what)}"
        await self.returning.settle(row, UNKNOWN, said)


def _what(what: str, called: str) -> str:
    return called if what == "link" else f"the power of {called}"
