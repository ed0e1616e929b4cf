"""Orders to switch ports as they wait, are followed and are given up: the service's own parts in this process, against the stand-in's
switches, which a test can change behind their backs."""

from __future__ import annotations

import asyncio
import contextlib
import tempfile
import unittest
from collections.abc import Awaitable, Callable
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import mock

from fastapi import FastAPI

from even_roster.api.port_orders import PortOrderNew
from even_roster.api.switches import Credential, CredentialNew
from even_roster.core.switches.columns import Column
from even_roster.core.switches.readers import reading
from even_roster.core.switches.reading import Lack
from even_roster.probe.snmp_agent import AgentError
from even_roster.service.app import create_app
from even_roster.service.context import now_ms, open_context
from even_roster.service.knowing.switch_now import PortNow, SwitchNow
from even_roster.service.settings import Settings
from even_roster.service.switches import credential_edits, switch_edits
from even_roster.service.web.problems import Refusal
from even_roster.service.wiring import order_queues, order_returning, order_sending, port_orders
from even_roster.service.wiring.order_sending import set_and_read_back
from even_roster.service.wiring.port_orders import PortOrders
from even_roster.service.wiring.seats import Seat
from even_roster.standin import larkspur
from even_roster.standin.cabling import Wired
from even_roster.standin.segment import StandinMachine
from even_roster.store import order_records
from even_roster.store.order_records import OrderRow
from tests.support.patience import PATIENCE

BESIDE = "anything"

MACHINIST = CredentialNew(
    name="machinist", user="machinist", auth="sha256", auth_password="trapdoor-one", privacy="aes128", privacy_password="trapdoor-two"
)  # fmt: skip
HERE = Seat("127.0.0.1")
NAMES = ("switch-office-1", "switch-office-2", "switch-attic")


async def here() -> bool:
    """Whoever ordered waits for the answer."""
    return False


async def until(holds: Callable[[], Awaitable[bool]], said: str) -> None:
    """Wait for a state."""
    for _ in range(round(PATIENCE / 0.02)):
        if await holds():
            return
        await asyncio.sleep(0.02)
    raise AssertionError(said)


class OddNames(unittest.IsolatedAsyncioTestCase):
    """Ports are shown by cleaned names and known again by what their switch really calls them."""

    RAW = (b"Buehne links\x00", b"B\xfchne 2", "Bühne 3".encode(), b"\x1b[2Jport 4\x07", b"up\tlink", b"")
    SHOWN = ("Buehne links", "Bühne 2", "Bühne 3", "[2Jport 4", "up link", "6")

    def told(self) -> dict[Column, dict[tuple[int, ...], Any]]:
        """What an agent tells of its interfaces."""
        numbers: dict[tuple[int, ...], Any] = {(index,): raw for index, raw in enumerate(self.RAW, start=1)}
        return {Column.NAME: numbers, Column.KIND: dict.fromkeys(numbers, 6)}

    async def test_each_is_shown_cleaned_and_switched_by_number_and_raw_name(self) -> None:
        ports = reading(self.told()).ports
        self.assertEqual(tuple(port.name for port in ports), self.SHOWN)
        raws = {port.name: port.raw.hex() for port in ports if port.raw != port.name.encode()}
        self.assertNotIn("Bühne 3", raws, "it is as it is shown")
        for port in ports:
            with self.subTest(port.name):
                await self.asked(port.name, port.index, raws, port.raw)
                for other in (b"Buehne links", b"port 4", b"uplink", b"another"):
                    if other != port.raw:
                        with self.assertRaisesRegex(AgentError, "is not port .* any more"):
                            await self.asked(port.name, port.index, raws, other)

    async def asked(self, name: str, index: int, raws: dict[str, str], tells: bytes) -> None:
        """Before a port is set, its agent is asked what it calls that interface now."""
        agent = mock.Mock(get=mock.AsyncMock(return_value=(mock.Mock(value=tells), mock.Mock(value=b""))))
        target = mock.Mock()
        target.port.name, target.port.state.index, target.switch.told = name, index, {"raws": raws}
        await order_sending._same_port(agent, target)


class Orders(unittest.IsolatedAsyncioTestCase):
    def setUp(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.site = larkspur.build()
        self.context = open_context(Settings(home=home, watch=False), StandinMachine(self.site))
        self.app: FastAPI = create_app(self.context)

    async def asyncSetUp(self) -> None:
        loop = asyncio.get_running_loop()
        loop.set_debug(False)
        self.addAsyncCleanup(
            loop.shutdown_default_executor
        )  # a question to the records may be open still when the service ends
        await self.enterAsyncContext(self.app.router.lifespan_context(self.app))
        self.orders: PortOrders = self.app.state.port_orders
        self.reader = self.app.state.switch_reader
        await asyncio.to_thread(credential_edits.add, self.context, "test", MACHINIST)
        for name in NAMES:
            address = switch_edits.address_of_switch(self.context, str(self.wired(name).host.addresses[0]))
            await asyncio.to_thread(switch_edits.add, self.context, "test", address, name, None, 3600)
        for number in list(self.context.switches.switches):
            await self.reader.read(number)

    def wired(self, name: str) -> Wired:
        """A switch of the stand-in."""
        return self.site.cabling.switches[name]

    def port(self, switch: str, name: str) -> tuple[SwitchNow, PortNow]:
        """A port by names."""
        return next(
            (one, port)
            for one, port in self.context.switches.by_port.values()
            if (one.called, port.name) == (switch, name)
        )

    async def new(self, port: int, **more: Any) -> PortOrderNew:
        """An order that consents to whatever is not verified."""
        found = await self.orders.look(port, HERE, "machinist")
        self.assertEqual(found.verdict.refusals, ())
        switch, this = self.context.switches.by_port[port]
        called = f"{switch.called} port {this.name}"
        values = {
            "to": "off", "credential": "machinist", "name": self.orders.asks_for(this, called), "consents": found.unverified("link"),
            **more,
        }  # fmt: skip
        return PortOrderNew.model_validate(values)

    async def give(self, port: int, new: PortOrderNew) -> OrderRow:
        """Give an order, again while the machine is too busy for it."""
        for _ in range(100):
            try:
                return await self.orders.give(port, new, "test", HERE, here)
            except Refusal as refused:
                if refused.problem.code != "busy":
                    raise
        raise AssertionError("it is always busy")

    async def row(self, identity: int) -> OrderRow:
        """An order as it stands."""
        return await asyncio.to_thread(self.orders.order, identity)

    async def given(self, identity: int, state: str) -> OrderRow:
        """An order once it stands so."""

        async def so() -> bool:
            return (await self.row(identity)).state == state

        await until(so, f"order {identity} is not {state}")
        return await self.row(identity)

    async def keep(self, values: dict[str, Any]) -> int:
        """Write an order down."""

        def write() -> int:
            with self.context.database.write() as connection:
                return order_records.add(connection, values)

        return await asyncio.to_thread(write)

    async def kept(self) -> list[OrderRow]:
        """All orders."""

        def read() -> list[OrderRow]:
            with self.context.database.read() as connection:
                return order_records.latest(connection, None, 100)

        return await asyncio.to_thread(read)

    async def test_one_whose_asker_is_gone_is_not_carried_out(self) -> None:
        async def gone() -> bool:
            return True

        _, port = self.port("switch-office-2", "6")
        with self.assertRaises(Refusal) as refused:
            await self.orders.give(port.id, await self.new(port.id), "test", HERE, gone)
        self.assertEqual(refused.exception.problem.code, "gone")
        self.assertEqual((await self.kept(), self.wired("switch-office-2").off), ([], set()))

    async def test_only_so_many_wait_for_one_switch_and_none_waits_for_another(self) -> None:
        switch, port = self.port("switch-attic", "5")
        _, other = self.port("switch-office-2", "6")
        orders, queues = [await self.new(one.id) for one in (port, other)], self.orders.queues
        async with queues.turn(switch.row.id, "switch-attic", asyncio.get_running_loop().time() + PATIENCE):
            with mock.patch.object(port_orders, "ANSWER_SECONDS", 6.0):
                waiting = [
                    asyncio.create_task(self.orders.give(port.id, orders[0], "test", HERE, here))
                    for _ in range(order_queues.MOST_WAITING)
                ]

                async def all_wait() -> bool:
                    return queues.waiting(switch.row.id) == order_queues.MOST_WAITING

                await until(all_wait, "they do not wait")
                with self.assertRaisesRegex(Refusal, "8 orders wait for it already"):
                    await self.orders.give(port.id, orders[0], "test", HERE, here)
                self.assertEqual((await self.give(other.id, orders[1])).state, "done")
                refused = await asyncio.gather(*waiting, return_exceptions=True)
        codes = [one.problem.code for one in refused if isinstance(one, Refusal)]
        self.assertEqual(codes, ["busy"] * order_queues.MOST_WAITING, "none of them was carried out later")
        self.assertEqual([one.port for one in await self.kept()], [other.id])

    async def test_a_mute_switch_is_told_as_that_and_nothing_is_done(self) -> None:
        _, port = self.port("switch-attic", "5")
        new = await self.new(port.id)
        self.wired("switch-attic").host.mute = True
        row = await self.give(port.id, new)
        self.assertEqual(row.state, "failed")
        self.assertIn("is as it was: 10.44.10.131 does not answer", row.said)

    async def test_an_order_that_is_not_answered_in_time_is_followed_and_counts_as_carried_out(self) -> None:
        _, port = self.port("switch-office-2", "6")
        new, held, real = await self.new(port.id), asyncio.Event(), set_and_read_back

        async def slowly(*given: Any) -> None:
            await held.wait()
            await real(*given)

        with (
            mock.patch.object(port_orders, "ANSWER_SECONDS", 2.0),
            mock.patch.object(port_orders, "set_and_read_back", slowly),
        ):
            row = await self.give(port.id, new)
            self.assertEqual(row.state, "sent", row.said)
            self.assertIn("its switch has not said yet", row.said)
            held.set()
            self.assertEqual(
                (await self.given(row.id, "done")).said, "switch-office-2 port 6 is off, as its switch says itself"
            )
        self.assertEqual(self.wired("switch-office-2").off, {6})
        _, beyond = self.port("switch-office-2", "7")
        way = (await self.orders.look(beyond.id, HERE, "machinist")).verdict.ports
        await self.keep({**row._asdict(), "id": None, "port": way[1], "state": "sent"})
        found = await self.orders.look(beyond.id, HERE, "machinist")
        self.assertTrue(
            any("on the way to it was told to be off" in one for one in found.verdict.refusals), found.verdict
        )

    async def test_what_a_switch_has_on_again_before_its_time_is_told_and_what_was_not_known_is_told_by_the_next_reading(
        self,
    ) -> None:
        switch, port = self.port("switch-office-2", "6")
        row = await self.give(port.id, await self.new(port.id, for_seconds=3600))
        self.assertEqual(row.state, "off for now", row.said)
        await self.reader.read(switch.row.id)
        self.assertEqual((await self.row(row.id)).state, "off for now", "it is off, as it should be")
        self.on_again("switch-office-2", 6)
        await self.reader.read(switch.row.id)
        early = await self.row(row.id)
        self.assertEqual(early.state, "off for now", "a reading can be forged: it ends nothing that was promised")
        self.assertIn("is on before its time, and not by this service", early.said)
        self.assertIn(row.id, self.orders.returning.waiting)
        switch, port = self.port("switch-office-2", "6")
        partly = replace(switch, row=switch.row._replace(told={**switch.told, "cut": ["wanted"]}))
        self.assertEqual((switch.switched(port), partly.switched(port)), ("on", ""), "what was not told is not known")
        for to, state in (("off", "failed"), ("on", "done")):
            with self.subTest(to):
                values = {
                    **row._asdict(),
                    "id": None,
                    "to": to,
                    "until": None,
                    "state": "not known",
                    "said_at": now_ms() - 60_000,
                }
                identity = await self.keep(values)
                await self.reader.read(switch.row.id)
                told = await self.row(identity)
                self.assertEqual(told.state, state)
                self.assertIn("is on, as its switch said when it was read next", told.said)
        self.assertNotIn(
            "the next reading", order_returning.look_at("power"), "readings do not tell whether power is on"
        )

    async def test_what_the_credential_that_orders_may_not_see_is_not_taken_for_gone(self) -> None:
        switch, port = self.port("switch-office-2", "6")
        key, at = await asyncio.to_thread(self.orders._key, "machinist"), switch.row.learnt
        whole = await self.reader.ask(switch.row.address, {key: Credential(**MACHINIST.model_dump(exclude={"name"}))})
        thin = replace(whole[0], ports=whole[0].ports[:3], learnt=(), lacks=(Lack("forwarding database", "not there"),))
        asked = mock.patch.object(self.reader, "ask", mock.AsyncMock(return_value=(thin, key)))
        with asked, self.assertRaisesRegex(Refusal, "tells this credential less than is known of it"):
            await self.reader.read(switch.row.id, key)
        now, same = self.port("switch-office-2", "6")
        self.assertEqual(
            (now.row.learnt, now.row.trouble, same.there, same.stays.keys()), (at, "", True, port.stays.keys())
        )

    async def test_what_was_being_sent_when_the_service_ended_is_told_by_the_first_reading(self) -> None:
        switch, port = self.port("switch-office-2", "6")
        values = {
            "switch": switch.row.id, "port": port.id, "what": "link", "to": "off", "who": "test", "at": now_ms() - 60_000, "credential": 1,
            "until": None, "state": "sent", "said": "", "said_at": now_ms() - 60_000, "consents": [],
        }  # fmt: skip
        identity = await self.keep(values)
        self.orders.returning.begin()  # as the next service does
        self.assertIn("the service ended while it was carried out", (await self.given(identity, "not known")).said)
        await self.reader.read(switch.row.id)
        self.assertEqual((await self.row(identity)).state, "failed")

    async def test_what_is_off_for_now_comes_back_while_another_switch_is_mute(self) -> None:
        _, port = self.port("switch-office-2", "6")
        _, mute = self.port("switch-attic", "5")
        orders = await self.new(port.id, for_seconds=5), await self.new(mute.id)
        row = await self.give(port.id, orders[0])
        self.wired("switch-attic").host.mute = True
        waiting = asyncio.create_task(self.orders.give(mute.id, orders[1], "test", HERE, here))
        self.assertEqual(
            (await self.given(row.id, "back")).said, "switch-office-2 port 6 is on again, as its switch says itself"
        )
        with contextlib.suppress(Refusal):
            await waiting
        self.assertEqual(self.wired("switch-office-2").off, set())

    def on_again(self, switch: str, port: int) -> None:
        """A switch forgets that a port is off."""
        with self.site.turn:
            self.wired(switch).off.discard(port)
            self.site.cabling.version += 1


if __name__ == "__main__":
    unittest.main()
