"""The plan's core on its own: runs, checks, arithmetic, reshaping, proof, free addresses, reservations followed."""

from __future__ import annotations

import itertools
import time
import unittest
from collections.abc import Callable
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network

from even_roster.core.address import Address
from even_roster.core.mac import Mac
from even_roster.core.plan import checks, reshape
from even_roster.core.plan.checks import Checked, Severity
from even_roster.core.plan.following import Lease, State, follow
from even_roster.core.plan.free import Seen, Wanted, candidates
from even_roster.core.plan.model import (
    Assignment,
    AssignmentKind,
    Band,
    BandKind,
    HandedOut,
    Item,
    Plan,
    Site,
    Subnet,
    Use,
)
from even_roster.core.plan.proof import Asked, Evidence, Grade, Heard, LastSeen, LeaseSeen, prove
from even_roster.core.plan.runs import Runs
from even_roster.core.plan.shares import free_blocks, shares
from even_roster.core.plan.told import told
from tests.support.drawing import assume, given, settings, st

BESIDE = "anything"

DAY = 24 * 3600 * 1000
NOW = 1_800_000_000_000
LAPTOP = Mac.parse("02:c0:9f:a0:00:6b").value
PRINTER = Mac.parse("02:c0:44:00:00:01").value


def ip(text: str) -> Address:
    return Address(int(IPv4Address(text)))


def subnet(text: str = "10.44.10.0/24", identity: int = 1, **values: object) -> Subnet:
    given_values = {"gateway": ip(text.partition("/")[0]) + 1, "name": f"net-{identity}", **values}
    return Subnet(identity, 1, network=IPv4Network(text), **given_values)  # type: ignore[arg-type]


def band(first: str, last: str, kind: BandKind = BandKind.STATIC, identity: int = 1, **values: object) -> Band:
    return Band(identity, 1, kind, ip(first), ip(last), **values)  # type: ignore[arg-type]


def assigned(
    address: str, identity: int = 1, kind: AssignmentKind = AssignmentKind.STATIC, **values: object
) -> Assignment:
    return Assignment(identity, 1, 1, ip(address), kind, **{"name": f"host-{identity}", **values})  # type: ignore[arg-type]


def plan_of(*items: Item) -> Plan:
    return Plan([Site(1, "Larkspur Hall", True), Site(2, "Annex"), *items])


class RunsOfAddresses(unittest.TestCase):
    @given(st.lists(st.tuples(st.booleans(), st.integers(0, 40))))
    def test_they_behave_as_a_set_and_their_gaps_as_its_complement(self, steps: list[tuple[bool, int]]) -> None:
        runs = Runs()
        model: set[int] = set()
        for add, address in steps:
            (runs.add if add else runs.remove)(address)
            (model.add if add else model.discard)(address)
        self.assertEqual({a for a in range(41) if a in runs}, model)
        self.assertEqual(len(runs), len(model))
        gaps = [a for low, high in runs.gaps(5, 30) for a in range(low, high + 1)]
        self.assertEqual(gaps, [a for a in range(5, 31) if a not in model])
        self.assertEqual(runs.count(5, 30), len(model & set(range(5, 31))))
        pairs = list(runs.within(0, 40))
        self.assertTrue(all(a[1] + 1 < b[0] for a, b in itertools.pairwise(pairs)), "runs never touch")
        self.assertEqual(list(Runs(model).within(0, 40)), pairs)


class Mistakes(unittest.TestCase):
    """Every mistake of a plan: the kind, the culprit in the sentence, and a remedy."""

    def kinds(self, *items: Item) -> dict[str, checks.Problem]:
        return {p.kind: p for p in Checked(plan_of(*items)).problems}

    def test_a_good_plan_has_none(self) -> None:
        items = (
            subnet(), band("10.44.10.2", "10.44.10.9", roles=("network",)),
            band("10.44.10.100", "10.44.10.199", BandKind.POOL, 2, server=1),
            assigned("10.44.10.5", role="network", name="switch-1"),
            assigned("10.44.10.120", 2, AssignmentKind.RESERVED, mac=LAPTOP, role="portable"),
        )  # fmt: skip
        self.assertEqual(self.kinds(*items), {})

    def test_each_mistake_is_named_with_its_culprit(self) -> None:
        pool = BandKind.POOL
        for kind, severity, culprit, items in (
            ("overlapping subnets", "refused", "10.44.10.128", (subnet(), subnet("10.44.10.128/25", 2))),
            ("name twice", "refused", "NET-1", (subnet(), subnet("10.44.20.0/24", 2, name="NET-1"))),
            ("gateway outside", "refused", "10.44.20.1", (subnet(gateway=ip("10.44.20.1")),)),
            ("gateway not a host", "refused", "broadcast", (subnet(gateway=ip("10.44.10.255")),)),
            ("bands in a supernet", "refused", "supernet", (subnet(supernet=True, gateway=None), band("10.44.10.2", "10.44.10.9"))),
            ("band outside", "refused", "10.44.11.9", (subnet(), band("10.44.10.250", "10.44.11.9"))),
            ("overlapping bands", "refused", "10.44.10.8 to 10.44.10.9", (subnet(), band("10.44.10.2", "10.44.10.9"), band("10.44.10.8", "10.44.10.20", identity=2))),
            ("pool covers gateway", "refused", "10.44.10.1", (subnet(), band("10.44.10.1", "10.44.10.9", pool))),
            ("pool covers network address", "refused", "10.44.10.0", (subnet(gateway=None), band("10.44.10.0", "10.44.10.9", pool))),
            ("pool covers broadcast address", "refused", "10.44.10.255", (subnet(), band("10.44.10.250", "10.44.10.255", pool))),
            ("pool's gateway outside", "refused", "10.9.9.9", (subnet(), band("10.44.10.50", "10.44.10.60", pool, options=HandedOut(gateway=ip("10.9.9.9"))))),
            ("pool without a server", "advice", "nobody", (subnet(), band("10.44.10.50", "10.44.10.60", pool))),
            ("no gateway", "advice", "net-1", (subnet(gateway=None), band("10.44.10.2", "10.44.10.9"))),
            ("address outside subnet", "refused", "10.44.11.5", (subnet(), assigned("10.44.11.5"))),
            ("network address assigned", "refused", "10.44.10.0", (subnet(), assigned("10.44.10.0"))),
            ("broadcast address assigned", "refused", "10.44.10.255", (subnet(), assigned("10.44.10.255"))),
            ("address in a supernet", "refused", "supernet", (subnet(supernet=True, gateway=None), assigned("10.44.10.9"))),
            ("gateway's address assigned", "refused", "host-1", (subnet(), assigned("10.44.10.1", role="printer"))),
            ("reservation without a MAC", "refused", "host-1", (subnet(), assigned("10.44.10.9", kind=AssignmentKind.RESERVED))),
            ("static inside pool", "mistake", "host-1", (subnet(), band("10.44.10.50", "10.44.10.60", pool, server=1), assigned("10.44.10.55"))),
            ("outside its role's band", "mistake", "printers", (subnet(), band("10.44.10.30", "10.44.10.39", roles=("printer",), name="printers"), assigned("10.44.10.50", role="printer"))),
            ("outside its role's band", "mistake", "for printer", (subnet(), band("10.44.10.30", "10.44.10.39", roles=("printer",)), assigned("10.44.10.31", role="phone"))),
            ("assigned in a spare band", "advice", "kept free", (subnet(), band("10.44.10.30", "10.44.10.39", BandKind.SPARE), assigned("10.44.10.31"))),
            ("reservation without a server", "advice", "host-1", (subnet(), assigned("10.44.10.9", kind=AssignmentKind.RESERVED, mac=LAPTOP))),
            ("role depends on DHCP", "mistake", "(camera)", (subnet(), band("10.44.10.50", "10.44.10.60", pool, server=1), assigned("10.44.10.9", kind=AssignmentKind.RESERVED, mac=LAPTOP, role="camera"))),
            ("traveller with a static address", "advice", "travels", (subnet(), assigned("10.44.10.9", role="portable"))),
            ("reserved twice", "refused", "10.44.10.8 and 10.44.10.9", (subnet(), assigned("10.44.10.8", 1, AssignmentKind.RESERVED, mac=LAPTOP), assigned("10.44.10.9", 2, AssignmentKind.RESERVED, mac=LAPTOP))),
            ("one name, two devices", "mistake", "desk", (subnet(), assigned("10.44.10.8", 1, name="desk", mac=LAPTOP), assigned("10.44.10.9", 2, name="DESK.larkspur.example", mac=PRINTER))),
        ):  # fmt: skip
            found = self.kinds(*items)
            self.assertIn(kind, found, f"{kind}: {list(found)}")
            problem = found[kind]
            self.assertEqual(problem.severity, severity, kind)
            if culprit != "nobody":
                self.assertIn(culprit, problem.said, kind)
            self.assertGreater(len(problem.remedy), 10, kind)
            self.assertTrue(problem.subjects, kind)

    def test_switched_off_assignments_supernets_and_host_routes_are_no_mistakes(self) -> None:
        items = (
            subnet(), subnet("10.44.0.0/16", 2, supernet=True, gateway=None), subnet("10.44.10.7/32", 3, gateway=None),
            subnet("10.44.20.0/31", 4, gateway=None),
            band("10.44.10.50", "10.44.10.60", BandKind.POOL, server=1), assigned("10.44.10.55", on=False),
        )  # fmt: skip
        self.assertEqual(self.kinds(*items), {})

    def test_two_sites_may_use_the_same_range(self) -> None:
        self.assertEqual(self.kinds(subnet(), replace(subnet("10.44.10.0/24", 2), site=2)), {})

    def test_the_machines_own_mask_and_the_roles_policy_are_compared(self) -> None:
        plan = plan_of(subnet(), band("10.44.10.50", "10.44.10.60", BandKind.POOL, server=1))
        wrong = list(checks.mask_problems(plan, [("eth0", ip("10.44.10.20"), IPv4Network("10.44.0.0/16"))]))
        self.assertIn("eth0 of this machine has 10.44.10.20 with the mask of 10.44.0.0/16", wrong[0].sentence)
        right = list(checks.mask_problems(plan, [("eth0", ip("10.44.10.20"), IPv4Network("10.44.10.0/24"))]))
        self.assertEqual(right, [])
        seen = checks.Observed(7, "access-point-6", "wireless", ip("10.44.10.55"), LAPTOP)
        phone = checks.Observed(8, "phone-1", "phone", ip("10.44.10.56"), PRINTER)
        found = list(checks.policy_problems(plan, [seen, phone]))
        self.assertEqual([(p.kind, p.severity) for p in found], [("role on a pool", Severity.MISTAKE)])
        plan.put(assigned("10.44.10.9", mac=LAPTOP))
        self.assertEqual(list(checks.policy_problems(plan, [seen])), [], "it has a place of its own in the plan")

    def test_a_draft_tells_only_what_it_adds_and_changes_nothing(self) -> None:
        old = band("10.44.10.50", "10.44.10.60", BandKind.POOL, server=1)
        plan = plan_of(subnet(), old, assigned("10.44.10.55"), assigned("10.44.10.61", 2))
        checked = Checked(plan)
        self.assertEqual([p.kind for p in checked.problems], ["static inside pool"])
        wider = replace(old, last=ip("10.44.10.70"))
        found = checked.draft([old], [wider])
        self.assertEqual(len(found), 2, "both statics are in the wider pool, the first with another sentence")
        self.assertEqual([p.kind for p in checked.problems], ["static inside pool"])
        self.assertEqual(plan.bands[1], old)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(0, 12), st.sampled_from(["", "printer", "camera"]), st.booleans()), max_size=8)
    )
    def test_problems_kept_up_to_date_are_those_of_a_check_from_nothing(
        self, edits: list[tuple[int, str, bool]]
    ) -> None:
        plan = plan_of(
            subnet(), band("10.44.10.4", "10.44.10.6", BandKind.POOL, server=1),
            band("10.44.10.8", "10.44.10.9", identity=2, roles=("printer",)),
        )  # fmt: skip
        checked = Checked(plan)
        for number, (last, role, reserved) in enumerate(edits):
            kind = AssignmentKind.RESERVED if reserved else AssignmentKind.STATIC
            mac = LAPTOP if number % 2 else PRINTER
            before = checked.plan.at(1, Address(ip("10.44.10.0") + last))
            after = Assignment(
                before.id if before else 100 + number, 1, 1, Address(ip("10.44.10.0") + last), kind, mac, "one", role
            )
            checked = checked.edited([before] if before else [], [after])
        self.assertEqual(set(checked.problems), set(Checked(checked.plan).problems))
        rebuilt = plan_of(*plan.subnets.values(), *plan.bands.values(), *checked.plan.assignments.values())
        for index in ("_at", "_of_mac", "_of_name", "_addresses"):
            self.assertEqual(getattr(checked.plan, index), getattr(rebuilt, index), "the copies' indexes are right")
        self.assertEqual(plan.assignments, {}, "and the plan that others look at was never touched")


class Arithmetic(unittest.TestCase):
    def sums(self, *items: Item, which: int = 1) -> tuple[int, ...]:
        plan = plan_of(*items)
        found = shares(plan, plan.subnets[which])
        return found.usable, found.pools, found.spare, found.gateway, found.taken, found.left

    def test_it_holds_for_subnets_of_every_size(self) -> None:
        pool = band("10.44.10.100", "10.44.10.199", BandKind.POOL, server=1)
        self.assertEqual(self.sums(subnet()), (254, 0, 0, 1, 0, 253))
        self.assertEqual(
            self.sums(subnet(), pool, assigned("10.44.10.5"), assigned("10.44.10.150", 2)), (254, 100, 0, 1, 1, 152)
        )
        gateway = assigned("10.44.10.1", role="network")
        self.assertEqual(
            self.sums(subnet(), gateway), (254, 0, 0, 1, 0, 253), "the gateway is taken once, assigned or not"
        )
        self.assertEqual(self.sums(subnet("10.44.10.0/31", gateway=None)), (2, 0, 0, 0, 0, 2))
        self.assertEqual(self.sums(subnet("10.44.10.7/32", gateway=None)), (1, 0, 0, 0, 0, 1))
        self.assertEqual(self.sums(subnet("10.0.0.0/8")), (2**24 - 2, 0, 0, 1, 0, 2**24 - 3))

    def test_a_supernet_counts_its_subnets_and_names_what_is_left(self) -> None:
        items = (
            subnet("10.44.0.0/16", 1, supernet=True, gateway=None),
            subnet("10.44.0.0/17", 2),
            subnet("10.44.128.0/24", 3),
        )
        self.assertEqual(self.sums(*items), (65536, 0, 0, 0, 32768 + 256, 65536 - 32768 - 256))
        plan = plan_of(*items)
        self.assertEqual(free_blocks(plan, plan.subnets[1])[:2], ["10.44.192.0/18", "10.44.160.0/19"])

    def test_per_band_it_adds_up_to_the_whole(self) -> None:
        plan = plan_of(
            subnet(), band("10.44.10.1", "10.44.10.9", roles=("network",)), band("10.44.10.30", "10.44.10.39", identity=2),
            band("10.44.10.100", "10.44.10.199", BandKind.POOL, 3, server=1), assigned("10.44.10.5"),
            assigned("10.44.10.31", 2), assigned("10.44.10.60", 3),
        )  # fmt: skip
        found = shares(plan, plan.subnets[1])
        self.assertEqual(sum(role.left for role in found.roles), found.left)
        self.assertEqual([(r.size, r.taken, r.left) for r in found.roles], [(9, 2, 7), (10, 1, 9), (135, 1, 134)])


class Reshaping(unittest.TestCase):
    def whole(self) -> Plan:
        return plan_of(
            subnet(gateway=ip("10.44.10.1")), band("10.44.10.100", "10.44.10.199", BandKind.POOL, server=1),
            assigned("10.44.10.5"), assigned("10.44.10.130", 2), assigned("10.44.10.254", 3),
            Use(1, 1, "light desk", ip("10.44.10.130"), "control"),
        )  # fmt: skip

    def after(self, plan: Plan, done: reshape.Reshaped) -> Plan:
        numbered = [replace(i, id=i.id if i.id > 0 else 100 - i.id) for i in done.after]
        moved = [
            replace(i, subnet=100 - i.subnet) if isinstance(i, Band | Assignment) and i.subnet < 0 else i
            for i in numbered
        ]
        checks.apply(plan, done.before, moved)
        return plan

    def test_a_split_takes_everything_along_and_cuts_pools_at_the_border(self) -> None:
        plan = self.whole()
        split = self.after(plan, reshape.split(plan, plan.subnets[1], 25))
        self.assertEqual([str(s.network) for s in split.subnets_of(1)], ["10.44.10.0/25", "10.44.10.128/25"])
        low, high = split.subnets_of(1)
        self.assertEqual([a.address for a in reshape.contents(split, low)], [ip("10.44.10.5")])
        self.assertEqual([a.address for a in reshape.contents(split, high)], [ip("10.44.10.130"), ip("10.44.10.254")])
        self.assertEqual((low.gateway, high.gateway), (ip("10.44.10.1"), None))
        self.assertEqual(
            [str(b.span) for s in (low, high) for b in split.bands_of(s.id)],
            ["10.44.10.100-10.44.10.126", "10.44.10.129-10.44.10.199"],
        )
        self.assertEqual((low.name, high.name), ("net-1", "net-1 2"))
        joined = self.after(split, reshape.join(split, low, [high]))
        self.assertEqual([str(s.network) for s in joined.subnets_of(1)], ["10.44.10.0/24"])
        self.assertEqual(len(reshape.contents(joined, joined.subnets[1])), 3)

    def test_what_would_orphan_or_break_an_address_is_refused_by_name(self) -> None:
        plan = self.whole()
        one = plan.subnets[1]
        attempts: tuple[tuple[str, Callable[[], object]], ...] = (
            ("10.44.10.127 (host-9) would become the broadcast address of 10.44.10.0/25", lambda: reshape.split(plan_with(plan, assigned("10.44.10.127", 9)), one, 25)),
            ("not /24", lambda: reshape.split(plan, one, 24)),
            ("2 assignments of 10.44.10.0/24 would lie outside 10.44.10.0/25", lambda: reshape.resize(plan, one, IPv4Network("10.44.10.0/25"))),
            ("still holds 4 assignments: 10.44.10.5 (host-1)", lambda: reshape.removal(plan, one)),
            ("do not fill one larger subnet", lambda: reshape.join(plan_with(plan, subnet("10.44.12.0/24", 5)), one, [subnet("10.44.12.0/24", 5)])),
        )  # fmt: skip
        for said, attempt in attempts:
            with self.subTest(said), self.assertRaises(reshape.ReshapeError) as refused:
                attempt()
            self.assertIn(said, str(refused.exception))
        self.assertEqual(len(plan.assignments), 4, "the one that was added for the first attempt, and no other change")

    def test_growing_keeps_everything(self) -> None:
        plan = self.whole()
        grown = self.after(plan, reshape.resize(plan, plan.subnets[1], IPv4Network("10.44.10.0/23")))
        self.assertEqual(len(reshape.contents(grown, grown.subnets[1])), 3)

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.integers(1, 254), min_size=2, max_size=10, unique=True),
        st.lists(st.sampled_from(list(BandKind))),
        st.integers(25, 28),
    )
    def test_joining_what_was_split_gives_back_what_was_drawn(
        self, edges: list[int], kinds: list[BandKind], prefix: int
    ) -> None:  # fmt: skip
        edges.sort()
        drawn = [
            band(
                f"10.44.10.{first}",
                f"10.44.10.{last}",
                kind,
                number + 1,
                name=f"b{number}",
                server=1 if kind is BandKind.POOL else None,
            )
            for number, (first, last, kind) in enumerate(zip(edges[::2], edges[1::2], kinds, strict=False))
        ]
        seams = {
            end
            for n in range(1, 1 << (prefix - 24))
            for end in (n * (256 >> (prefix - 24)) - 1, n * (256 >> (prefix - 24)))
        }
        # A pool may not begin or end where a part has its network or broadcast address: there its edge is lost.
        assume(not any(b.kind is BandKind.POOL and {b.first & 255, b.last & 255} & seams for b in drawn))
        plan = plan_of(subnet(gateway=None), *drawn)
        split = self.after(plan, reshape.split(plan, plan.subnets[1], prefix))
        first, *others = split.subnets_of(1)
        joined = self.after(split, reshape.join(split, first, others))
        self.assertEqual(
            [(b.kind, b.first, b.last, b.server) for b in joined.bands_of(1)],
            [(b.kind, b.first, b.last, b.server) for b in drawn],
        )

    @settings(max_examples=50, deadline=None)
    @given(st.sets(st.integers(1, 254), max_size=12), st.integers(25, 32))
    def test_no_split_ever_loses_or_moves_an_address(self, lasts: set[int], prefix: int) -> None:
        plan = plan_of(subnet(gateway=None), *(assigned(f"10.44.10.{n}", n) for n in lasts))
        try:
            split = self.after(plan, reshape.split(plan, plan.subnets[1], prefix))
        except reshape.ReshapeError:
            return
        self.assertEqual({a.address & 255 for a in split.assignments.values()}, lasts)
        for item in split.assignments.values():
            self.assertIn(IPv4Address(item.address), split.subnets[item.subnet].network)


def plan_with(plan: Plan, *items: Item) -> Plan:
    for item in items:
        plan.put(item)
    return plan


class ToldChanges(unittest.TestCase):
    """What the list of changes and a conflict tell."""

    def test_what_was_set_changed_and_cleared_is_told_and_nothing_else(self) -> None:
        before = assigned("10.44.10.20", role="printer", notes="old toner")
        self.assertEqual(
            told(before, replace(before, name="press", version=2)), ({"name": "host-1"}, {"name": "press"})
        )
        self.assertEqual(told(before, replace(before, notes="")), ({"notes": "old toner"}, {"notes": None}))
        self.assertEqual(told(replace(before, notes=""), before), ({"notes": None}, {"notes": "old toner"}))
        self.assertEqual(told(before, replace(before, id=9, version=7)), ({}, {}), "numbers of our own are not told")

    def test_a_new_item_is_told_whole_but_for_what_goes_without_saying(self) -> None:
        fresh = assigned("10.44.10.20", mac=Mac.parse("02-c0-44-00-00-26").value)
        self.assertEqual(
            told(None, fresh),
            (None, {"address": "10.44.10.20", "kind": "static", "mac": "02:c0:44:00:00:26", "name": "host-1"}),
        )
        self.assertEqual(told(fresh, None)[0], told(None, fresh)[1])
        made = subnet(gateway=ip("10.44.10.1"), dns=(ip("10.44.10.1"), ip("10.44.10.2")), vlan=10)
        self.assertEqual(
            told(None, made)[1],
            {
                "name": "net-1",
                "network": "10.44.10.0/24",
                "gateway": "10.44.10.1",
                "dns": "10.44.10.1, 10.44.10.2",
                "vlan": 10,
            },
        )


class Proofs(unittest.TestCase):
    def grade(self, address: str, *items: Item, **evidence: object) -> tuple[Grade, str]:
        plan = plan_of(subnet(), band("10.44.10.100", "10.44.10.199", BandKind.POOL, server=1), *items)
        found = prove(plan, 1, ip(address), Evidence(**{"asked": Asked.PROBES, **evidence}), NOW)  # type: ignore[arg-type]
        return found.grade, "; ".join(found.reasons)

    def test_only_an_address_with_nothing_against_it_is_clear(self) -> None:
        grade, said = self.grade("10.44.10.50")
        self.assertEqual(grade, Grade.CLEAR)
        self.assertIn("nobody answered three ARP probes just now", said)
        self.assertIn("never seen", said)

    def test_none_of_these_is_ever_clear(self) -> None:
        for address, said, grade, items, evidence in (
            ("10.44.10.50", "answered for it just now (by arp)", Grade.TAKEN, (), {"heard": (Heard(LAPTOP, "arp"),)}),
            ("10.44.10.50", "held it 7 days ago and may only be off", Grade.DOUBTFUL, (), {"last_seen": LastSeen(NOW - 7 * DAY, LAPTOP, "portable-05")}),
            ("10.44.10.50", "reserved for portable-05", Grade.TAKEN, (assigned("10.44.10.50", kind=AssignmentKind.RESERVED, mac=LAPTOP, name="portable-05"),), {}),
            ("10.44.10.50", "though switched off", Grade.TAKEN, (assigned("10.44.10.50", on=False),), {}),
            ("10.44.10.50", "office has leased it to portable-05 for another 1 hour", Grade.TAKEN, (), {"lease": LeaseSeen(LAPTOP, "portable-05", NOW + 3_700_000, "office")}),
            ("10.44.10.50", "a lease of office on it ended only 2 days ago", Grade.DOUBTFUL, (), {"lease": LeaseSeen(LAPTOP, "", NOW - 2 * DAY, "office")}),
            ("10.44.10.1", "is the gateway", Grade.TAKEN, (), {}),
            ("10.44.10.0", "is the network address", Grade.TAKEN, (), {}),
            ("10.44.10.255", "is the broadcast address", Grade.TAKEN, (), {}),
            ("10.44.10.150", "inside the pool", Grade.TAKEN, (), {}),
            ("10.44.10.50", "this machine's own", Grade.TAKEN, (), {"own": True}),
            ("10.44.10.50", "the name old.larkspur.example still points", Grade.DOUBTFUL, (), {"names": ("old.larkspur.example",)}),
            ("10.44.10.50", "the wire was not asked", Grade.DOUBTFUL, (), {"asked": Asked.NO}),
            ("10.44.10.50", "not on this machine's link", Grade.DOUBTFUL, (), {"asked": Asked.FAR}),
            ("10.44.10.50", "could not be asked: no cable", Grade.DOUBTFUL, (), {"asked": Asked.FAILED, "why_not": "no cable"}),
            ("10.44.10.50", "kept free", Grade.DOUBTFUL, (band("10.44.10.40", "10.44.10.60", BandKind.SPARE, 2),), {}),
            ("10.99.0.1", "no planned subnet", Grade.DOUBTFUL, (), {}),
        ):  # fmt: skip
            found, reasons = self.grade(address, *items, **evidence)
            self.assertEqual(found, grade, reasons)
            self.assertIn(said, reasons)

    def test_a_holder_of_long_ago_is_told_but_does_not_stand_against_it(self) -> None:
        grade, said = self.grade("10.44.10.50", last_seen=LastSeen(NOW - 400 * DAY, LAPTOP, "portable-05"))
        self.assertEqual(grade, Grade.CLEAR)
        self.assertIn("last seen 400 days ago, held by portable-05", said)


class FreeAddresses(unittest.TestCase):
    def find(
        self,
        plan: Plan,
        wanted: Wanted,
        seen: dict[str, int] | None = None,
        held: tuple[str, ...] = (),
        only: Band | None = None,
    ) -> list[str]:
        last = {ip(address): at for address, at in (seen or {}).items()}
        found = candidates(plan, plan.subnets[1], wanted, Seen.of(plan, 1, last), Runs(map(ip, held)), only)
        return [str(IPv4Address(a)) for a in found]

    def test_the_roles_band_comes_first_then_any_band_then_where_none_is(self) -> None:
        plan = plan_of(
            subnet("10.44.10.0/28"), band("10.44.10.2", "10.44.10.3", roles=("printer",)), band("10.44.10.5", "10.44.10.6", identity=2),
            band("10.44.10.8", "10.44.10.9", BandKind.POOL, 3), band("10.44.10.12", "10.44.10.13", BandKind.SPARE, 4),
        )  # fmt: skip
        self.assertEqual(
            self.find(plan, Wanted(9, role="printer")),
            [f"10.44.10.{n}" for n in (2, 3, 5, 6, 4, 7, 10, 11, 14)],
        )
        self.assertEqual(self.find(plan, Wanted(2), only=plan.bands[1]), ["10.44.10.2", "10.44.10.3"])
        self.assertNotIn("10.44.10.2", self.find(plan, Wanted(3, role="phone")), "that band is for printers")

    def test_never_seen_first_then_longest_unseen(self) -> None:
        plan = plan_of(subnet("10.44.10.0/29"))
        seen = {"10.44.10.2": 300, "10.44.10.3": 100, "10.44.10.4": 200}
        self.assertEqual(
            self.find(plan, Wanted(9), seen, held=("10.44.10.6",)), [f"10.44.10.{n}" for n in (5, 3, 4, 2)]
        )

    def test_a_device_goes_next_to_its_own_kind_and_leaves_others_room(self) -> None:
        plan = plan_of(subnet(), assigned("10.44.10.30", role="printer"), assigned("10.44.10.60", 2, role="phone"))
        self.assertEqual(self.find(plan, Wanted(1, role="phone")), ["10.44.10.61"])
        self.assertEqual(self.find(plan, Wanted(1, role="printer")), ["10.44.10.31"])
        plan = plan_of(subnet(gateway=None), *(assigned(f"10.44.10.{n}", n, role="phone") for n in range(1, 5)))
        self.assertEqual(
            self.find(plan, Wanted(1, role="printer")), ["10.44.10.9"], "four are left for the phones to grow"
        )

    def test_adjacent_means_all_in_a_row_or_none(self) -> None:
        plan = plan_of(subnet("10.44.10.0/28"), *(assigned(f"10.44.10.{n}", n) for n in (4, 9)))
        self.assertEqual(self.find(plan, Wanted(4, adjacent=True)), [f"10.44.10.{n}" for n in (5, 6, 7, 8)])
        self.assertEqual(self.find(plan, Wanted(5, adjacent=True)), [f"10.44.10.{n}" for n in (10, 11, 12, 13, 14)])
        self.assertEqual(self.find(plan, Wanted(6, adjacent=True)), [])

    @settings(max_examples=100, deadline=None)
    @given(st.sets(st.integers(0, 63)), st.sets(st.integers(0, 63)), st.integers(1, 10), st.booleans())
    def test_no_taken_address_ever_comes_up(self, taken: set[int], seen: set[int], count: int, adjacent: bool) -> None:
        plan = plan_of(
            subnet("10.44.10.0/26"), band("10.44.10.20", "10.44.10.29", BandKind.POOL),
            *(assigned(f"10.44.10.{n}", n + 1, role="phone") for n in taken if 1 <= n <= 62),
        )  # fmt: skip
        found = self.find(plan, Wanted(count, adjacent, "phone"), {f"10.44.10.{n}": n for n in seen})
        self.assertEqual(len(found), len(set(found)))
        lasts = [int(a.rpartition(".")[2]) for a in found]
        self.assertFalse(set(lasts) & ({0, 1, 63} | taken | set(range(20, 30))))
        if not adjacent:
            free = set(range(64)) - {0, 1, 63} - taken - set(range(20, 30))
            self.assertEqual(len(found), min(count, len(free)), "as many as there are")

    def test_a_slash_8_with_a_hundred_thousand_assignments_is_searched_in_a_moment(self) -> None:
        items = [
            Assignment(n, 1, 1, Address(ip("10.0.0.2") + 3 * n), AssignmentKind.STATIC, None, f"h{n}", "other")
            for n in range(1, 100_001)
        ]
        plan = plan_of(subnet("10.0.0.0/8"), *items)
        seen = Seen.of(plan, 1, {})
        spent = []
        for _ in range(5):
            began = time.perf_counter()
            self.assertEqual(len(candidates(plan, plan.subnets[1], Wanted(5, role="printer"), seen, Runs())), 5)
            spent.append(time.perf_counter() - began)
        self.assertLess(min(spent), 0.05, "a generous bound; the benchmark measures it")


class Following(unittest.TestCase):
    def state(self, item: Assignment | None = None, **facts: object) -> tuple[State, str]:
        base = {
            "served": True,
            "published": True,
            "leases": (),
            "at_address": (),
            "seen": (),
            "refusal": "",
            "now": NOW,
        }
        one = item or assigned("10.44.10.181", kind=AssignmentKind.RESERVED, mac=LAPTOP)
        found = follow(one, **{**base, **facts})  # type: ignore[arg-type]
        return found.state, found.sentence

    def test_a_reservation_is_followed_until_it_is_true(self) -> None:
        here, there = ip("10.44.10.181"), ip("10.44.10.112")
        hour = NOW + 3_600_000
        for expected, said, facts in (
            (State.UNPUBLISHED, "no DHCP server", {"served": False}),
            (State.UNPUBLISHED, "publish it", {"published": False}),
            (State.REFUSED, "the server said no", {"refusal": "the server said no"}),
            (State.WAITING, "still on 10.44.10.112", {"leases": (Lease(there, LAPTOP, "", hour),)}),
            (State.WAITING, "never seen", {}),
            (State.WAITING, "never seen", {"leases": (Lease(there, LAPTOP, "", NOW - 1),)}),
            (State.WAITING, "typed into it", {"seen": ((there, LastSeen(NOW - DAY, LAPTOP)),)}),
            (State.IN_EFFECT, "holds the lease", {"leases": (Lease(here, LAPTOP, "", None),)}),
            (State.IN_EFFECT, "was seen at 10.44.10.181", {"seen": ((here, LastSeen(NOW - DAY, LAPTOP)),)}),
            (State.REFUSED, "holds the lease of 10.44.10.181 for another 1 hour", {"at_address": (Lease(here, PRINTER, "printer-1", hour),)}),
        ):  # fmt: skip
            state, sentence = self.state(**facts)
            self.assertEqual(state, expected, sentence)
            self.assertIn(said, sentence)
        self.assertEqual(self.state(assigned("10.44.10.181", on=False))[0], State.OFF)


if __name__ == "__main__":
    unittest.main()
