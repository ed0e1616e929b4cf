"""Follows what was ordered: ports that are off for a time come back by themselves, whatever other switches do and after a restart
of the service, too (not where the machine of the service dies); what nobody knew is told by the next reading."""

from __future__ import annotations

import asyncio
import contextlib

from ...api.events import SwitchEvent
from ...probe.segment import SegmentError
from ...probe.snmp_agent import AgentError
from ...store import order_records
from ...store.edits import EditError, Missing
from ...store.order_records import BACK, DONE, FAILED, OFF_FOR_NOW, UNKNOWN, OrderRow
from ..aids.repeating import attempt_here
from ..context import Context, now_ms
from ..knowing.switch_now import SwitchNow
from ..switches import credential_edits
from ..switches.picture import Names
from ..switches.switch_reader import SwitchReader
from ..watching.watcher import Watcher
from ..web.problems import Refusal
from .order_sending import ON, Target, reached, set_and_read_back

RETRY_SECONDS, RETRY_MOST = 5.0, 60.0


def look_at(what: str) -> str:
    """Where it is told how an order ended of which no answer came: readings tell of links, and not whether power is on."""
    return "look at the port itself" + (", the next reading tells it" if what == "link" else "")


class Returning:
    """The orders of one service that are not over."""

    def __init__(self, context: Context, watcher: Watcher, reader: SwitchReader) -> None:
        self._context, self._watcher, self._reader = context, watcher, reader
        self._tasks: dict[int, asyncio.Task[None]] = {}
        self.sending: set[int] = set()
        """Orders that are being sent now: whoever sends them tells how they end."""

    def begin(self) -> None:
        """Take up what was left open; whatever is read from now on is looked at."""
        with self._context.database.read() as connection:
            rows = order_records.open_ones(connection)
        for row in rows:
            self.later(row)
        self._reader.after.append(self.read_again)

    async def close(self) -> None:
        """Stop; what is off for now is taken up again at the next start."""
        for task in list(self._tasks.values()):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task

    @property
    def waiting(self) -> frozenset[int]:
        """Orders that come back at their time."""
        return frozenset(key for key, task in self._tasks.items() if not task.done())

    async def settle(self, row: OrderRow, state: str, said: str) -> None:
        """How an order stands from now on."""
        await asyncio.to_thread(self._over, row, state, said)

    def _over(self, row: OrderRow, state: str, said: str) -> None:
        with self._context.database.write() as connection:
            order_records.change(connection, row.id, state, said, now_ms())

    def by_hand(self, row: OrderRow) -> None:
        """What was off for now and was switched on by hand does not come back by itself again."""
        with self._context.database.read() as connection:
            rows = [one for one in order_records.open_ones(connection) if (one.port, one.what) == (row.port, row.what)]
        for one in rows:
            if one.id != row.id:
                self._over(one, BACK, "it was switched on by hand before its time")
                self._no_more(one.id)

    def _no_more(self, identity: int) -> None:
        task = self._tasks.pop(identity, None)
        if task is not None and self._context.loop is not None:
            self._context.loop.call_soon_threadsafe(task.cancel)

    def later(self, row: OrderRow) -> None:
        """Bring a port back at its time."""
        self._tasks[row.id] = asyncio.create_task(
            attempt_here(self._take_up(row), "a port could not be switched on again")
        )

    async def _take_up(self, row: OrderRow) -> None:
        if row.until is None:
            await self.settle(row, UNKNOWN, f"the service ended while it was carried out: {look_at(row.what)}")
            return
        wait = RETRY_SECONDS
        await asyncio.sleep(max(0.0, (row.until - now_ms()) / 1000))
        while True:
            try:
                await self._back(row)
                return
            except (AgentError, SegmentError, EditError, Missing, Refusal) as error:
                said = f"it is to be on again since its time, and could not be switched on yet: {error}"
                await self.settle(row, OFF_FOR_NOW, said)
                with contextlib.suppress(Refusal, EditError):
                    await self._reader.read(row.switch)
            await asyncio.sleep(wait)
            wait = min(wait * 1.5, RETRY_MOST)

    async def _back(self, row: OrderRow) -> None:
        """Switch on again what was off for a time. Raises AgentError, SegmentError, EditError, Missing."""
        now = await asyncio.to_thread(self._order, row.id)
        if now is None or now.state not in order_records.OPEN:
            return
        found = self._context.switches.port(row.port)
        if found is None:
            raise Missing(f"there is no port {row.port} of a switch that is read")
        switch, port = found
        credential = (await asyncio.to_thread(credential_edits.opened, self._context)).get(row.credential)
        if credential is None:
            raise EditError("its credential is not kept any more, or cannot be opened", "credential")
        target = Target(switch, port, row.what, credential)
        async with reached(self._context, self._watcher, target) as agent:
            await set_and_read_back(agent, target, ON)
        await self.settle(
            row, BACK, f"{await asyncio.to_thread(self._what, row)} is on again, as its switch says itself"
        )
        with contextlib.suppress(Refusal, EditError):
            await self._reader.read(row.switch)
        self._context.tell(SwitchEvent(id=row.switch))

    def _order(self, identity: int) -> OrderRow | None:
        with self._context.database.read() as connection:
            return order_records.one(connection, identity)

    def _what(self, row: OrderRow) -> str:
        found = self._context.switches.port(row.port)
        if found is None:
            return "the port"
        with self._context.database.read() as connection:
            called = f"{Names(self._context, connection).switch(found[0])[1]} port {found[1].name}"
        return called if row.what == "link" else f"the power of {called}"

    # What readings tell

    async def read_again(self, switch: int, began: int) -> None:
        """A switch was read, from a time on: what it says of ports that were switched before that is how their orders stand."""
        now = self._context.switches.switches.get(switch)
        if now is not None:
            await asyncio.to_thread(self._compare, now, began)

    def _compare(self, switch: SwitchNow, began: int) -> None:
        with self._context.database.read() as connection:
            rows = [
                one for one in order_records.unsettled(connection) if one.switch == switch.row.id and one.what == "link"
            ]
        for row in rows:
            port = switch.ports.get(row.port)
            stands = switch.switched(port) if port is not None else ""
            if row.id in self.sending or (row.said_at or row.at) >= began or not stands:
                continue
            self._told(switch, row, stands)

    def _told(self, switch: SwitchNow, row: OrderRow, stands: str) -> None:
        """What a reading says of an order that is not over."""
        what = self._what(row)
        if row.state == OFF_FOR_NOW:
            again = " it started anew:" if (switch.restarted or 0) > row.at else ""
            said = (
                f"{what} is on before its time, and not by this service:{again} its switch says so itself; "
                "at its time it is switched on all the same"
            )
            if stands == "on" and said != row.said:  # a reading can be forged: it ends nothing that was promised
                self._over(row, OFF_FOR_NOW, said)
        elif stands == row.to:
            self._over(row, DONE, f"{what} is {row.to}, as its switch said when it was read next")
        else:
            self._over(row, FAILED, f"{what} is {stands}, as its switch said when it was read next")
