"""The scan engines and their pace, on the stand-in site under a clock that only moves when they sleep."""

from __future__ import annotations

import threading
import unittest
from collections.abc import Sequence
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Interface

from even_roster.core.adapters import Adapter
from even_roster.core.mac import BROADCAST, Mac, MacNumber
from even_roster.core.ranges import parse
from even_roster.core.stays import Source
from even_roster.probe.neighbour_engine import NeighbourEngine, NeighbourState
from even_roster.probe.pacer import MOST_AT_ONCE, Pacer
from even_roster.probe.rtt import CEILING, FLOOR, INITIAL, WaitingTime
from even_roster.probe.segment import Neighbour
from even_roster.probe.sweep import MOST_BEHIND, Progress, sweep_frames
from even_roster.probe.sweep_engine import Answer, SweepEngine, SweepPlan
from even_roster.probe.sweeper import pack, unpack
from even_roster.standin import generator, larkspur
from even_roster.standin.hosts import Awake, Host
from even_roster.standin.segment import StandinDoor
from even_roster.standin.site import Site
from even_roster.wire import arp, ethernet, ipv4
from tests.support.clock import FakeClock

BESIDE = "anything"


class RecordingDoor(StandinDoor):
    """The stand-in's door, keeping what was sent and when; `spoil` adds frames to what arrives."""

    def __init__(self, site: Site, adapter: str) -> None:
        super().__init__(site, adapter)
        self.log: list[tuple[float, bytes]] = []
        self.spoil: list[bytes] = []

    def send(self, frame: bytes) -> None:
        self.log.append((self.now(), frame))
        super().send(frame)

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        extra = [(self.now(), frame) for frame in self.spoil]
        self.spoil = []
        return [*extra, *super().receive(timeout)]


class OverloadedDoor(RecordingDoor):
    """A machine with little time: it hands over three frames at once, and takes 12 ms of the clock to have each read."""

    def __init__(self, site: Site, adapter: str) -> None:
        super().__init__(site, adapter)
        self._unread: list[tuple[float, bytes]] = []
        self._all_until = self.now()

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        self._unread += super().receive(0.0005 if self._unread else timeout)
        frames, self._unread = self._unread[:3], self._unread[3:]
        if not self._unread:
            self._all_until = super().read_until()
        self._site.sleep(0.012 * len(frames))
        return frames

    def read_until(self) -> float:
        return self._all_until

    def lost(self) -> int:
        return 7


class BusyDoor(RecordingDoor):
    """A door beside which somebody else asks for two addresses again and again; the answers reach both."""

    def __init__(self, site: Site, adapter: str) -> None:
        super().__init__(site, adapter)
        own = site.adapters[0]
        assert own.mac is not None
        self._questions = [
            ethernet.encode(arp.request(own.mac, own.addresses[0].ip, IPv4Address(f"10.44.10.{last}")))
            for last in (30, 31)
        ]
        self._next = self.now() + 0.2  # the sweep has asked for both by then
        self.others = 0

    def receive(self, timeout: float) -> Sequence[tuple[float, bytes]]:
        if self.now() >= self._next:
            self._next = self.now() + 0.05
            for question in self._questions:
                StandinDoor.send(self, question)
                self.others += 1
        return super().receive(timeout)


class Run:
    """One sweep of a site, finished."""

    def __init__(
        self, site: Site, plan: SweepPlan, *, adapter: int = 0, pace: float = 1000, spoil: Sequence[bytes] = (),
        stop_after: int | None = None, door: type[RecordingDoor] = RecordingDoor,
    ) -> None:  # fmt: skip
        self.door = door(site, site.adapters[adapter].name)
        self.door.spoil = list(spoil)
        self.engine = SweepEngine(plan, site.adapters[adapter], 77)
        self.answers: list[Answer] = []
        stop = threading.Event()

        def report(answers: list[Answer], progress: Progress) -> None:
            self.answers += answers
            if stop_after is not None and progress.probes >= stop_after:
                stop.set()

        self.progress = sweep_frames(self.engine, self.door, pace, stop, report)

    def macs(self, address: str) -> set[str]:
        return {str(a.mac) for a in self.answers if a.address == int(IPv4Address(address)) and a.mac}

    def by(self, address: str) -> Source:
        found = Source(0)
        for answer in self.answers:
            if answer.address == int(IPv4Address(address)):
                found |= answer.by
        return found

    def asked(self, address: str) -> int:
        count = 0
        for _, data in self.door.log:
            frame = ethernet.decode(data)
            if frame.ethertype == ethernet.EtherType.ARP:
                count += arp.decode(frame.payload).target_address == IPv4Address(address)
        return count


def hall() -> Site:
    clock = FakeClock()
    return larkspur.build(clock=clock, sleep=clock.sleep)


def plan(text: str, **more: object) -> SweepPlan:
    return replace(SweepPlan(parse(text)), **more)  # type: ignore[arg-type]


class Sweeping(unittest.TestCase):
    def test_every_host_of_a_generated_site_is_found_with_its_mac(self) -> None:
        clock = FakeClock()
        site = generator.generate(1500, clock=clock, sleep=clock.sleep)
        run = Run(site, plan("10.96.0.1-10.96.7.254"), pace=5000)
        found = {(a.address, a.mac.value) for a in run.answers if a.mac}
        self.assertEqual(found, {(int(h.addresses[0]), h.mac.value) for h in site.hosts})

    def test_silent_addresses_are_asked_three_times_and_answering_ones_once(self) -> None:
        run = Run(hall(), plan("10.44.10.1-254"))
        self.assertEqual(run.asked("10.44.10.200"), 3)
        self.assertEqual(run.asked("10.44.10.30"), 1)
        self.assertLess(run.progress.seconds, 2.0)

    def test_a_machine_that_reads_slowly_misses_nobody_and_takes_nobody_for_silent(self) -> None:
        clock = FakeClock()
        site = generator.generate(400, clock=clock, sleep=clock.sleep)
        run = Run(site, plan("10.96.0.1-10.96.1.254", echo=False), pace=5000, door=OverloadedDoor)
        found = {(a.address, a.mac.value) for a in run.answers if a.mac}
        self.assertEqual(found, {(int(h.addresses[0]), h.mac.value) for h in site.hosts})
        self.assertGreater(run.progress.seconds, 400 * 0.012, "it did take its time")
        answering = {str(host.addresses[0]) for host in site.hosts}
        self.assertEqual({run.asked(address) for address in sorted(answering)[::9]}, {1})
        self.assertEqual(run.progress.lost, 7)

    def test_a_link_that_never_rests_does_not_keep_a_sweep_from_its_end(self) -> None:
        class Flooded(RecordingDoor):
            def read_until(self) -> float:
                return 0.0

        run = Run(hall(), plan("10.44.10.1-254", echo=False), door=Flooded)
        self.assertEqual((run.asked("10.44.10.200"), run.asked("10.44.10.30")), (3, 1))
        self.assertLess(run.progress.seconds, 3 * (MOST_BEHIND + 1.5))

    def test_a_known_device_that_stays_silent_is_asked_two_rounds_more(self) -> None:
        run = Run(hall(), plan("10.44.10.190-210", expected={int(IPv4Address("10.44.10.200"))}))
        self.assertEqual((run.asked("10.44.10.200"), run.asked("10.44.10.201")), (5, 3))

    def test_two_macs_for_one_address_are_both_kept(self) -> None:
        run = Run(hall(), plan("10.44.20.1-254"), adapter=1)
        self.assertEqual(len(run.macs("10.44.20.41")), 2)
        self.assertTrue(run.by("10.44.20.41") & Source.ECHO)

    def test_a_firewalled_host_is_found_by_arp(self) -> None:
        self.assertEqual(Run(hall(), plan("10.44.20.120"), adapter=1).by("10.44.20.120"), Source.ARP)

    def test_foreign_addresses_on_the_wire_are_reported(self) -> None:
        run = Run(hall(), plan("10.44.20.1-254"), adapter=1)
        foreign = {str(IPv4Address(a.address)) for a in run.answers if a.foreign}
        self.assertEqual(foreign, {"192.168.200.10", "0.0.0.0"})

    def test_only_a_reply_to_us_for_what_was_asked_is_an_answer(self) -> None:
        site, forger, nobody, printer = (
            hall(),
            Mac.parse("02:c0:66:00:00:66"),
            IPv4Address("10.44.10.222"),
            IPv4Address("10.44.10.30"),
        )
        own = site.adapters[0]
        assert own.mac is not None
        here = own.addresses[0].ip
        somebody = arp.Arp(arp.Operation.REQUEST, Mac.parse("02:c0:44:00:00:77"), printer, arp.NO_MAC, nobody)
        to_us = arp.Arp(arp.Operation.REQUEST, own.mac, here, arp.NO_MAC, nobody)
        forged = [
            *(arp.announcement(forger, address) for address in (nobody, printer, here)),
            *(arp.request(forger, address, here) for address in (nobody, printer)),
            *(arp.reply_to(somebody, forger, address) for address in (nobody, printer)),
            arp.reply_to(to_us, forger, IPv4Address("10.44.10.223")),
            arp.reply_to(to_us, forger, IPv4Address("192.168.1.1")),
        ]
        run = Run(site, plan("10.44.10.1-222"), spoil=[ethernet.encode(frame) for frame in forged])
        self.assertEqual(run.by(str(nobody)), Source.OVERHEARD)
        self.assertEqual(run.asked(str(nobody)), 3, "it is asked as often as any that is silent")
        self.assertEqual(run.by("10.44.10.223"), Source.OVERHEARD, "it was not asked for")
        by_arp = {a.mac for a in run.answers if a.address == int(printer) and a.by is Source.ARP}
        self.assertEqual(by_arp, {host.mac for host in site.hosts if printer in host.addresses})
        self.assertFalse([a for a in run.answers if a.mac == forger and a.by is not Source.OVERHEARD])
        self.assertEqual(run.engine.answered, Run(hall(), plan("10.44.10.1-222")).engine.answered)

    def test_a_gateway_is_whoever_answers_for_it_and_not_who_speaks_in_its_name(self) -> None:
        site, forger = hall(), Mac.parse("02:c0:66:00:00:66")
        gateway = site.adapters[0].gateway
        assert gateway is not None
        run = Run(site, plan("10.44.40.0/26"), spoil=[ethernet.encode(arp.announcement(forger, gateway))])
        to = {ethernet.decode(data).destination for _, data in run.door.log if data[12:14] == b"\x08\x00"}
        self.assertEqual(to, {host.mac for host in site.hosts if gateway in host.addresses})

    def test_a_host_that_comes_up_in_a_later_round_is_found(self) -> None:
        site = hall()
        late = Awake(period=1e9, on=1e8, offset=0.7)
        site.plug(Host("late", Mac.parse("02:c0:44:00:0f:01"), (IPv4Address("10.44.10.222"),), 10, awake=late))
        self.assertEqual(Run(site, plan("10.44.10.1-254")).macs("10.44.10.222"), {"02:c0:44:00:0f:01"})

    def test_addresses_behind_the_gateway_are_asked_by_echo_and_have_no_mac(self) -> None:
        run = Run(hall(), plan("10.44.40.0/26"))
        answers = {
            a.address: a for a in run.answers if not a.foreign and IPv4Address(a.address) in parse("10.44.40.0/26")
        }
        self.assertEqual(len(answers), 18)
        self.assertTrue(all(a.mac is None and a.by is Source.ECHO and a.rtt for a in answers.values()))

    def test_without_a_gateway_far_addresses_are_given_up_and_said(self) -> None:
        run = Run(hall(), plan("10.44.40.0/26"), adapter=1)
        self.assertTrue(run.engine.gateway_silent)
        self.assertEqual(run.progress.probes, 0)

    def test_reply_times_are_measured(self) -> None:
        run = Run(hall(), plan("10.44.10.13"))
        times = [a.rtt for a in run.answers if a.rtt is not None]
        self.assertEqual(len(times), 2)
        for seconds in times:
            self.assertAlmostEqual(seconds, 0.011, delta=0.003)

    def test_answers_to_somebody_elses_questions_do_not_slow_a_sweep_down(self) -> None:
        """Directed rounds ask for two addresses all the while: their answers say nothing of this sweep's questions."""
        site = hall()
        door = BusyDoor(site, site.adapters[0].name)
        usual = Run(hall(), plan("10.44.10.1-254"))
        engine = SweepEngine(plan("10.44.10.1-254"), site.adapters[0], 77)
        progress = sweep_frames(engine, door, 1000, threading.Event(), lambda *_: None)
        self.assertGreater(door.others, 10, "the others did ask, and were answered")
        self.assertLess(progress.seconds, usual.progress.seconds + 0.2)

    def test_a_slow_device_is_told_late_and_measured_at_the_next_look(self) -> None:
        site = hall()
        slow = next(host for host in site.hosts if IPv4Address("10.44.10.30") in host.addresses)
        slow.delay = 1.5
        first = Run(site, plan("10.44.10.1-60", echo=False, expected=[int(IPv4Address("10.44.10.30"))]))
        (answer,) = [a for a in first.answers if a.address == int(IPv4Address("10.44.10.30"))]
        self.assertEqual((answer.rtt, answer.late), (None, True), "nobody knows which question was answered")
        second = Run(site, plan("10.44.10.1-60", echo=False, slow=[answer.address]))
        (answer,) = [a for a in second.answers if a.address == int(IPv4Address("10.44.10.30"))]
        self.assertEqual((second.asked("10.44.10.30"), answer.late), (1, False))
        assert answer.rtt is not None
        self.assertAlmostEqual(answer.rtt, 1.5, delta=0.1)

    def test_a_slow_device_that_is_gone_costs_two_waits(self) -> None:
        gone = int(IPv4Address("10.44.10.201"))
        run = Run(hall(), plan("10.44.10.1-254", echo=False, expected=[gone], slow=[gone]))
        self.assertEqual(run.asked("10.44.10.201"), 2)
        self.assertLess(run.progress.seconds, 2 * CEILING + 0.5)

    def test_a_stop_keeps_what_was_found(self) -> None:
        run = Run(hall(), plan("10.44.10.1-254"), stop_after=60)
        self.assertLess(run.progress.probes, 150)
        self.assertTrue(run.macs("10.44.10.1"))

    def test_frames_that_lie_are_counted_and_harm_nothing(self) -> None:
        own = hall().adapters[0].mac
        assert own is not None
        sound = ethernet.encode(
            arp.request(Mac.parse("02:c0:44:00:00:26"), IPv4Address("10.44.10.99"), IPv4Address("10.44.10.1"))
        )
        packet = ipv4.encode(
            ipv4.Packet(IPv4Address("10.44.10.198"), IPv4Address("10.44.10.20"), 1, b"\0\0\0\0\0\0\0\0")
        )
        nobody = ethernet.encode(arp.request(Mac(MacNumber(0)), IPv4Address("10.44.10.197"), IPv4Address("10.44.10.1")))
        group = ethernet.encode(arp.request(BROADCAST, IPv4Address("10.44.10.196"), IPv4Address("10.44.10.1")))
        broken = ethernet.encode(ethernet.Frame(own, Mac(MacNumber(3)), ethernet.EtherType.IPV4, packet))
        spoil = [sound[:20], b"", sound[:41], broken, nobody, group, b"\xff" * 60]
        run = Run(hall(), plan("10.44.10.1-254"), spoil=spoil)
        self.assertEqual(run.engine.rejected, 4)
        self.assertEqual([run.macs(f"10.44.10.{n}") for n in (196, 197, 198)], [set(), set(), set()])
        self.assertEqual(len(run.macs("10.44.10.30")), 1)

    def test_answers_survive_the_way_between_processes(self) -> None:
        answers = Run(hall(), plan("10.44.10.1-254, 10.44.40.0/26")).answers
        self.assertEqual(unpack(pack(answers)), answers)


class Pace(unittest.TestCase):
    def test_sends_are_spread_evenly_and_never_in_bursts(self) -> None:
        clock = FakeClock()
        site = generator.generate(400, clock=clock, sleep=clock.sleep)
        run = Run(site, plan("10.96.0.0/18"), pace=10_000)
        times = [at for at, _ in run.door.log]
        end = times[-1] - 1.5
        start = times[0]
        while start < end:
            in_second = sum(1 for at in times if start <= at < start + 1)
            self.assertAlmostEqual(in_second, 10_000, delta=200)
            start += 0.31
        at_once = max(sum(1 for at in times if at == moment) for moment in set(times))
        self.assertLessEqual(at_once, 64)

    def test_a_stall_is_caught_up_in_portions_or_forgotten(self) -> None:
        pacer = Pacer(1000)
        pacer.spent(pacer.room(0.0), 0.0)
        for stall, most in ((0.010, 12), (5.0, 20)):
            now = 1.0 + stall
            pacer.idle()
            pacer.spent(pacer.room(1.0), 1.0)
            granted = 0
            while (room := pacer.room(now)) and granted < 10_000:
                granted += room
                self.assertLessEqual(room, MOST_AT_ONCE)
                pacer.spent(room, now)
                now += 0.0001
            self.assertLessEqual(granted, most)

    def test_pausing_gathers_no_credit(self) -> None:
        pacer = Pacer(1000)
        pacer.spent(pacer.room(0.0), 0.0)
        pacer.idle()
        self.assertEqual(pacer.room(60.0), 1)


class Waiting(unittest.TestCase):
    def test_waiting_follows_measured_times_within_bounds(self) -> None:
        waiting = WaitingTime()
        self.assertEqual(waiting.seconds, INITIAL)
        waiting.measured(0.002)
        self.assertEqual(waiting.seconds, FLOOR)
        for _ in range(20):
            waiting.measured(0.6)
        self.assertGreater(waiting.seconds, 0.6)
        for _ in range(20):
            waiting.measured(9.0)
        self.assertEqual(waiting.seconds, CEILING)


class KernelTable:
    """A kernel's neighbour table: answers are reachable, then stale, and dropped only when room is needed."""

    REACHABLE, KEPT = 12.0, 5.0

    def __init__(self, hosts: dict[int, Mac], room: int) -> None:
        self.hosts, self.room, self.asked = hosts, room, dict[int, float]()
        self.most = 0

    def nudge(self, address: int, now: float) -> bool:
        if len(self.asked) >= self.room:
            self.asked = {a: at for a, at in self.asked.items() if now - at < self._kept(a)}
        if len(self.asked) >= self.room:
            return False
        self.asked[address] = now
        self.most = max(self.most, len(self.asked))
        return True

    def _kept(self, address: int) -> float:
        return self.REACHABLE + self.KEPT if address in self.hosts else 3.0

    def read(self, now: float) -> list[Neighbour]:
        entries = []
        for address, at in self.asked.items():
            mac, age = self.hosts.get(address), now - at
            if mac is None or age < 0.002:
                state = NeighbourState.FAILED if age > 3 else NeighbourState.INCOMPLETE
                entries.append(Neighbour(IPv4Address(address), None, state, age))
            else:
                stale = age > self.REACHABLE
                state = NeighbourState.STALE if stale else NeighbourState.REACHABLE
                entries.append(Neighbour(IPv4Address(address), mac, state, age - self.REACHABLE if stale else age))
        return entries


class Neighbours(unittest.TestCase):
    adapter = Adapter("site0", Mac(MacNumber(2)), (IPv4Interface("10.60.0.1/20"),))

    def sweep(self, engine: NeighbourEngine, table: KernelTable) -> tuple[list[Answer], float]:
        now, answers = 1000.0, list[Answer]()
        while not engine.finished(now):
            for address in engine.due(now, 40):
                if not table.nudge(int(address), now):
                    engine.full(address)
            if engine.look_due(now):
                engine.told(table.read(now), now)
            answers += engine.take()
            now += 0.02
            self.assertLess(now, 1400.0)
        return answers, now - 1000.0

    def test_a_range_larger_than_the_table_goes_through_it_in_slices_and_loses_nothing(self) -> None:
        base = int(IPv4Address("10.60.0.0"))
        hosts = {base + n: Mac(MacNumber(0x02C000000000 + n)) for n in range(2, 4000, 2)}
        table = KernelTable(hosts, 1024)
        engine = NeighbourEngine(SweepPlan(parse("10.60.0.0/20"), echo=False), self.adapter, 870, False)
        answers, _ = self.sweep(engine, table)
        self.assertEqual({a.address: a.mac for a in answers}, hosts)
        self.assertLessEqual(table.most, 1024)

    def test_a_table_that_others_fill_is_waited_for(self) -> None:
        hosts = {int(IPv4Address("10.60.0.0")) + n: Mac(MacNumber(0x02C000000000 + n)) for n in range(2, 250)}
        engine = NeighbourEngine(SweepPlan(parse("10.60.0.0/24"), echo=False), self.adapter, 614, False)
        answers, _ = self.sweep(engine, KernelTable(hosts, 60))
        self.assertEqual(len(answers), len(hosts))

    def test_a_table_that_stays_full_is_given_up_and_the_rest_is_counted(self) -> None:
        engine = NeighbourEngine(SweepPlan(parse("10.60.0.2-101"), echo=False), self.adapter, 614, False)
        answers, seconds = self.sweep(engine, KernelTable({}, 0))
        self.assertEqual((answers, engine.unsettled()), ([], 100))
        self.assertLess(seconds, 130)

    def test_where_echo_is_permitted_addresses_behind_the_gateway_are_asked_by_echo(self) -> None:
        engine = NeighbourEngine(SweepPlan(parse("10.88.0.1-8")), self.adapter, 10, True)
        alive = {IPv4Address("10.88.0.3"), IPv4Address("10.88.0.7")}
        now, asked, answers = 1000.0, list[IPv4Address](), list[Answer]()
        while not engine.finished(now):
            echoes = engine.due_echoes(now, 10)
            asked += echoes
            engine.echoed([(now + 0.01, address) for address in echoes if address in alive])
            answers += engine.take()
            engine.due(now, 10)
            now += 0.05
        self.assertEqual({IPv4Address(a.address) for a in answers}, alive)
        self.assertEqual([asked.count(IPv4Address(f"10.88.0.{n}")) for n in (2, 3)], [3, 1])

    def test_a_refused_nudge_is_made_again(self) -> None:
        target = IPv4Address("10.60.0.9")
        engine = NeighbourEngine(SweepPlan(parse("10.60.0.9"), echo=False), self.adapter, 10, False)
        self.assertEqual(engine.due(1.0, 10), [target])
        engine.full(target)
        self.assertEqual((engine.due(1.05, 10), engine.finished(1.1)), ([], False))
        engine.told([], 1.15)
        self.assertEqual(engine.due(1.2, 10), [target])

    def test_an_entry_that_is_only_remembered_is_no_answer(self) -> None:
        engine = NeighbourEngine(SweepPlan(parse("10.60.0.9"), echo=False), self.adapter, 10, False)
        engine.due(1.0, 10)
        stale = Neighbour(IPv4Address("10.60.0.9"), Mac(MacNumber(5)), NeighbourState.STALE, 300.0)
        for tenth in range(10, 120):
            engine.told([stale], tenth / 10)
        self.assertEqual(engine.take(), [])
        self.assertTrue(engine.finished(13.0) or not engine.due(13.0, 1))


if __name__ == "__main__":
    unittest.main()
