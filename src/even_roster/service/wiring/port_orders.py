"""Switches ports and their power off and on, one order after the other. What is off for a time is written down before anything is
sent, and comes back after a restart of the service, too; it stays off where the machine of the service dies.
"""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import dataclass
from ipaddress import IPv4Address
from typing import Any

from ...api.events import SwitchEvent
from ...api.port_orders import PortOrderNew
from ...api.switches import Credential
from ...core.address import dotted
from ...core.wiring.guard import FRESH_MS, asked_name
from ...probe.segment import SegmentError
from ...probe.snmp_agent import Agent, AgentError, Refused
from ...store import order_records
from ...store.edits import EditError, Missing
from ...store.order_records import BACK, DONE, FAILED, GIVEN, OFF_FOR_NOW, OrderRow
from ...wire.snmp import Type, Variable
from ..aids.repeating import attempt_here
from ..context import Context, now_ms
from ..knowing.switch_now import PortNow, SwitchNow
from ..switches import agent_reading, credential_edits
from ..switches.picture import Names
from ..switches.switch_reader import SwitchReader
from ..watching.watcher import Watcher
from ..web.problems import Refusal
from .guard_facts import Judged, judged
from .seats import HERE, Seat

Oid = tuple[int, ...]
_NAME: Oid = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 1)
_TEXT: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 2)
_ADMIN: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 7)
"""ifAdminStatus (RFC 2863)"""
_POWER: Oid = (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 3)
"""pethPsePortAdminEnable (RFC 3621)"""
_ON, _OFF = 1, 2
VERIFY_SECONDS, VERIFY_STEP = 5.0, 0.3
RETRY_SECONDS, RETRY_MOST = 5.0, 60.0
ROUNDS = 3
_SHORT_MS = FRESH_MS // 2
"""A reading that is older is made anew before the guard judges, so that it is fresh when it does."""


class Unsure(AgentError):
    """An agent was told, and whether it has done it is not known, or it has not."""


@dataclass(frozen=True, slots=True)
class Target:
    """A port to switch: what is set there, and by what."""

    switch: SwitchNow
    port: PortNow
    what: str
    credential: Credential

    @property
    def object(self) -> Oid:
        """What is set. Raises EditError where the port has nothing of the kind."""
        if self.what == "link":
            assert self.port.state is not None
            return (*_ADMIN, self.port.state.index)
        feeds = self.switch.told.get("feeds", {}).get(self.port.name)
        if feeds is None:
            raise EditError(f"port {self.port.name} feeds nothing over Ethernet, as far as its switch tells", "what")
        return (*_POWER, *feeds)


class PortOrders:
    """The orders of one service."""

    def __init__(self, context: Context, watcher: Watcher, reader: SwitchReader) -> None:
        self._context, self._watcher, self._reader = context, watcher, reader
        self._turn = asyncio.Lock()
        self._tasks: dict[int, asyncio.Task[None]] = {}

    def begin(self) -> None:
        """Take up what was left open: what is off for now comes back at its time."""
        with self._context.database.read() as connection:
            rows = order_records.open_ones(connection)
        for row in rows:
            self._later(row)

    async def close(self) -> None:
        """Stop; what is off for now is taken up again at the next start."""
        for task in list(self._tasks.values()):
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

    async def look(self, identity: int, seat: Seat) -> Judged:
        """What the guard says of a port: the switches on the way are read anew as far as they must be."""
        found: Judged | None = None
        for _ in range(ROUNDS):
            switch, port = self.known(identity)
            found = await asyncio.to_thread(judged, self._context, switch, port, seat)
            ids = {*found.verdict.switches, switch.row.id}
            old = [key for key in sorted(ids) if self._age(key) > _SHORT_MS]
            if not old:
                return found
            await asyncio.gather(*(self._read(key) for key in old))
        assert found is not None
        switch, port = self.known(identity)
        return await asyncio.to_thread(judged, self._context, switch, port, seat)

    def _age(self, switch: int) -> int:
        known = self._context.switches.switches.get(switch)
        return now_ms() - (known.row.learnt or 0) if known is not None else 0

    async def _read(self, switch: int) -> None:
        with contextlib.suppress(Refusal, EditError):
            await self._reader.read(switch)

    def asks_for(self, port: PortNow, called: str) -> str:
        """The name to type before a port is switched off."""
        with self._context.database.read() as connection:
            names = Names(self._context, connection)
            macs = [stay.mac for stay in port.here]
            names.learn(macs)
            return asked_name([names.said(mac) for mac in macs], called)

    # Orders

    async def give(self, identity: int, request: PortOrderNew, who: str, seat: Seat) -> OrderRow:
        """Carry an order out; gives it as it ended. Raises Missing, EditError, Refusal."""
        async with self._turn:  # the second of two orders is judged by what the first has left
            switch, port = self.known(identity)
            credential, row = await asyncio.to_thread(self._credential, request)
            called = await asyncio.to_thread(self._called, switch, port)
            self._sensible(request, port)
            await asyncio.to_thread(self._alone, request, port)
            if request.to == "off":
                await self._permitted(identity, request, seat, called)
                switch, port = self.known(identity)
            target = Target(switch, port, request.what, credential)
            _ = target.object  # nothing is written down of what the port does not have
            until = now_ms() + request.for_seconds * 1000 if request.for_seconds is not None else None
            values = {
                "switch": switch.row.id, "port": port.id, "what": request.what, "to": request.to, "at": now_ms(),
                "who": who if seat.said in ("", HERE) else f"{who}, at {seat.said}",
                "credential": row, "until": until, "state": GIVEN, "said": "it is being carried out",
            }  # fmt: skip
            order = await asyncio.to_thread(self._keep, values)
            await self._carry_out(order, target, called)
            return await asyncio.to_thread(self._order, order)

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

    def _by_hand(self, row: OrderRow) -> None:
        """What was off for now and was switched on by hand does not come back by itself again."""
        with self._context.database.read() as connection:
            rows = [one for one in order_records.open_ones(connection) if (one.port, one.what) == (row.port, row.what)]
        for one in rows:
            self._over(one, BACK, "it was switched on by hand before its time")
            task = self._tasks.pop(one.id, None)
            if task is not None and self._context.loop is not None:
                self._context.loop.call_soon_threadsafe(task.cancel)

    async def _permitted(self, identity: int, request: PortOrderNew, seat: Seat, called: str) -> None:
        found = await self.look(identity, seat)
        if found.verdict.refusals:
            raise Refusal(409, "guarded", f"{called} stays as it is: {'; '.join(found.verdict.refusals)}", "port")
        _, port = self.known(identity)
        wanted = await asyncio.to_thread(self.asks_for, port, called)
        if request.name.strip().casefold() != wanted.casefold():
            raise EditError(f"type the name {wanted!r} to switch off {called}", "name")

    def _credential(self, request: PortOrderNew) -> tuple[Credential, int]:
        with self._context.database.read() as connection:
            row = credential_edits.find(connection, request.credential)
        credential = credential_edits.opened(self._context).get(row.id)
        if credential is None:
            raise EditError(f"the credential {row.name} cannot be opened; enter it again", "credential")
        strong = credential.snmp == "3" and credential.auth != "none" and credential.privacy != "none"
        if not strong and not request.weak:
            raise EditError(
                f"{row.name} does not encrypt: whoever listens on the way could switch ports with it; consent with 'weak'",
                "weak",
            )
        return credential, int(row.id)

    def _called(self, switch: SwitchNow, port: PortNow) -> str:
        with self._context.database.read() as connection:
            return f"{Names(self._context, connection).switch(switch)[1]} port {port.name}"

    def _keep(self, values: dict[str, Any]) -> int:
        with self._context.database.write() as connection:
            return order_records.add(connection, values)

    def _order(self, identity: int) -> OrderRow:
        with self._context.database.read() as connection:
            found = order_records.one(connection, identity)
        if found is None:
            raise Missing(f"there is no order {identity}")
        return found

    async def _carry_out(self, identity: int, target: Target, called: str) -> None:
        row = await asyncio.to_thread(self._order, identity)
        what = called if row.what == "link" else f"the power of {called}"
        wanted = _OFF if row.to == "off" else _ON
        try:
            await self._set(target, wanted)
        except Unsure as error:
            await self._unsure(row, target, what, error)
        except (AgentError, SegmentError, EditError) as error:
            await self._settle(row, FAILED, f"{what} is as it was: {error}")
        else:
            state = OFF_FOR_NOW if row.until is not None else DONE
            await self._settle(row, state, f"{what} is {row.to}, as its switch says itself")
            if row.until is not None:
                self._later(row._replace(state=state))
            if wanted == _ON:
                await asyncio.to_thread(self._by_hand, row)
        await self._read(target.switch.row.id)
        self._context.tell(SwitchEvent(id=target.switch.row.id))

    async def _unsure(self, row: OrderRow, target: Target, what: str, error: Unsure) -> None:
        """It may have been done all the same, and be why nothing comes back: what was to be off is switched on. Where that cannot
        be told either, what was to come back comes back at its time."""
        if row.to == "off":
            try:
                await self._set(target, _ON)
            except (AgentError, SegmentError, EditError):
                if row.until is not None:
                    said = f"whether {what} is off is not known: {error}; it is switched on at its time in any case"
                    await self._settle(row, OFF_FOR_NOW, said)
                    self._later(row._replace(state=OFF_FOR_NOW))
                    return
            else:
                await self._settle(row, FAILED, f"{what} is on, as its switch says itself: {error}")
                return
        await self._settle(row, FAILED, f"whether {what} is {row.to} is not known, look at the port itself: {error}")

    async def _settle(self, row: OrderRow, state: str, said: str) -> None:
        await asyncio.to_thread(self._over, row, state, said)

    def _over(self, row: OrderRow, state: str, said: str) -> None:
        with self._context.database.write() as connection:
            order_records.change(connection, row.id, state, said)

    async def _set(self, target: Target, value: int) -> None:
        """Set what an order is about, and read it back until it is so. Raises AgentError, SegmentError, EditError."""
        address = target.switch.row.address
        adapter, why_not = await asyncio.to_thread(self._watcher.towards, address)
        if adapter is None:
            raise AgentError(f"{dotted(address)} cannot be asked from here: {why_not}")
        segment = self._context.machine.open(adapter)
        try:
            agent = Agent(segment, IPv4Address(address), agent_reading.session(target.credential))
            await self._same_port(agent, target)
            await self._sent(agent, target.object, value, dotted(address))
        finally:
            await segment.close()

    async def _sent(self, agent: Agent, what: Oid, value: int, address: str) -> None:
        """Tell an agent, and read back. Raises Refused where it says itself that it may not be told, else Unsure."""
        try:
            await agent.set([Variable(what, Type.INTEGER, value)])
        except Refused:
            raise
        except (AgentError, SegmentError) as error:
            raise Unsure(str(error)) from error
        waited = 0.0
        while True:
            try:
                (told,) = await agent.get([what])
            except (AgentError, SegmentError) as error:
                raise Unsure(str(error)) from error
            if told.value == value:
                return
            if waited >= VERIFY_SECONDS:
                raise Unsure(f"{address} said yes and did nothing: read back, it is as it was")
            await asyncio.sleep(VERIFY_STEP)
            waited += VERIFY_STEP

    async def _same_port(self, agent: Agent, target: Target) -> None:
        """A restart may have numbered interfaces anew: what is set is the port that is meant, by its name."""
        if target.port.state is None:
            raise EditError(f"its switch does not tell of port {target.port.name} any more", "port")
        index = target.port.state.index
        name, text = await agent.get([(*_NAME, index), (*_TEXT, index)])
        said = [one.value.decode("utf-8", "replace").strip() for one in (name, text) if isinstance(one.value, bytes)]
        plain = target.port.name.removesuffix(f" ({index})")
        if plain not in (*said, str(index)):
            raise AgentError(f"interface {index} is not port {plain} any more: the switch numbers them anew")

    # What comes back by itself

    def _later(self, row: OrderRow) -> None:
        self._tasks[row.id] = asyncio.create_task(
            attempt_here(self._take_up(row), "a port could not be switched on again")
        )

    async def _take_up(self, row: OrderRow) -> None:
        if row.until is None:
            await self._settle(row, FAILED, "the service ended while it was carried out: look at the port itself")
            return
        wait = RETRY_SECONDS
        await asyncio.sleep(max(0.0, (row.until - now_ms()) / 1000))
        while True:
            try:
                async with self._turn:
                    await self._back(row)
                return
            except (AgentError, SegmentError, EditError, Missing, Refusal) as error:
                said = f"it is to be on again since its time, and could not be switched on yet: {error}"
                await self._settle(row, OFF_FOR_NOW, said)
                await self._read(row.switch)
            await asyncio.sleep(wait)
            wait = min(wait * 1.5, RETRY_MOST)

    async def _back(self, row: OrderRow) -> None:
        """Switch on again what was off for a time. Raises AgentError, SegmentError, EditError, Missing."""
        now = await asyncio.to_thread(self._order, row.id)
        if now.state not in order_records.OPEN:
            return
        switch, port = self.known(row.port)
        credential = (await asyncio.to_thread(credential_edits.opened, self._context)).get(row.credential)
        if credential is None:
            raise EditError("its credential is not kept any more, or cannot be opened", "credential")
        await self._set(Target(switch, port, row.what, credential), _ON)
        called = await asyncio.to_thread(self._called, switch, port)
        what = called if row.what == "link" else f"the power of {called}"
        await self._settle(row, BACK, f"{what} is on again, as its switch says itself")
        await self._read(row.switch)
        self._context.tell(SwitchEvent(id=row.switch))
