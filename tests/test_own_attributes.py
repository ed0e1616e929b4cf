"""Publishing changes the plan's own attributes in a configuration, nothing else, and taking back gives the text back.

A corpus of configurations as people write them, each in several spellings, is adopted and edited at random many times.
"""

from __future__ import annotations

import json
import random
import re
import tempfile
import unittest
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from typing import Any, ClassVar

from even_roster.core.address import Address, address_of
from even_roster.core.dhcp import Pool, Reservation, Scope, keys_of, meaning
from even_roster.core.dhcp_difference import difference
from even_roster.core.holdings import Holding, Part
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.plan.model import HandedOut
from even_roster.dhcp.dhcpd import DhcpdServer
from even_roster.dhcp.dnsmasq import DnsmasqServer
from even_roster.dhcp.json_text import JsonText
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.kea_config import MARKED, OPTION_CODES
from even_roster.dhcp.kea_running import beyond
from even_roster.dhcp.server import DhcpServer, Owned, Texts, There, as_owned, digest, preview
from tests.support.effort import effort
from tests.support.lab import ROOT

BESIDE = "anything"
PART = "test and endure"

OFFICE = IPv4Network("10.44.10.0/24")
EDITS = effort(8, 50)
COMMENTS = re.compile(r'"(?:[^"\\\n]|\\.)*"|(//[^\n]*|#[^\n]*|/\*.*?\*/)', re.DOTALL)

HASHES = re.compile(r'"(?:[^"\\\n]|\\.)*"|(#[^\n]*)')


def corpus(kind: str) -> Iterator[tuple[str, str]]:
    """The configurations of a kind by name."""
    for part in (ROOT / "tests" / "corpus" / f"{kind}.txt").read_text().split("=== ")[1:]:
        name, _, text = part.partition("\n")
        yield name, text


def plain_json(text: str, indent: int | None) -> str:
    return json.dumps(JsonText(text).root.value, indent=indent, ensure_ascii=indent is None)


KEA_SPELLINGS: dict[str, Callable[[str], str]] = {
    "as it is": lambda text: text, "CRLF": lambda text: text.replace("\n", "\r\n"), "tabs": lambda text: text.replace("  ", "\t"),
    "on one line": lambda text: plain_json(text, None), "spread out": lambda text: plain_json(text, 4) + "\n",
}  # fmt: skip
DNSMASQ_SPELLINGS: dict[str, Callable[[str], str]] = {
    "as it is": lambda text: text, "CRLF": lambda text: text.replace("\n", "\r\n"), "without a last line feed": lambda text: text.rstrip("\n"),
    "behind blanks": lambda text: text.replace("\n", " \n"),
}  # fmt: skip


class Plan:
    """What is wanted of a server, edited at random."""

    def __init__(self, scopes: Sequence[Scope], draw: random.Random, by_pool: bool = False) -> None:
        self.scopes, self._draw, self._next = list(scopes), draw, 0
        self._more = ("of a pool", "of a pool") if by_pool else ()

    def edit(self) -> None:
        at = self._draw.randrange(len(self.scopes))
        self.scopes[at] = self._edited(self.scopes[at])

    def _edited(self, scope: Scope) -> Scope:
        draw, pools, entries = self._draw, list(scope.pools), list(scope.reservations)
        match draw.choice(
            (
                "resize",
                "pool",
                "no pool",
                "reserve",
                "release",
                "move",
                "rename",
                "rename",
                "lease",
                "dns",
                "gateway",
                "domain",
                *self._more,
            )
        ):
            case "of a pool" if pools:
                return self._of_a_pool(scope, draw.choice(pools))
            case "resize" if pools:
                at = draw.randrange(len(pools))
                one = pools[at]
                if one.last - one.first > 4:
                    pools[at] = Pool(one.first + draw.randint(0, 2), one.last - draw.randint(0, 2))
            case "pool" if len(pools) < 4:
                first = int(address_of(scope.network.network_address)) + draw.choice((2, 8, 14))
                if not any(one.first <= first + 4 and first <= one.last for one in pools):
                    pools.append(Pool(first, first + 4))
            case "no pool" if pools:
                pools.pop(draw.randrange(len(pools)))
            case "reserve":
                self._next += 1
                address = Address(int(address_of(scope.network.network_address)) + 33 + self._next % 14)
                if all(one.address != address for one in entries):
                    entries.append(
                        Reservation(
                            MacNumber(0x02C09FA00000 + self._next), address, draw.choice(("", f"new-{self._next}"))
                        )
                    )
            case "release" if entries:
                entries.pop(draw.randrange(len(entries)))
            case "move" if entries:
                at = draw.randrange(len(entries))
                address = Address(int(address_of(scope.network.network_address)) + draw.randint(48, 60))
                if all(one.address != address for one in entries):
                    entries[at] = replace(entries[at], address=address)
            case "rename" if entries:
                at = draw.randrange(len(entries))
                entries[at] = replace(entries[at], name=draw.choice(("", "x", "printer-neu", entries[at].name)))
            case "lease":
                return replace(scope, options=replace(scope.options, lease_seconds=draw.choice((0, 600, 7200))))
            case "dns":
                return replace(
                    scope,
                    options=replace(
                        scope.options,
                        dns=tuple(address_of(IPv4Address(f"10.44.10.{n}")) for n in draw.sample(range(1, 9), 2)),
                    ),
                )
            case "gateway":
                return replace(
                    scope,
                    options=replace(
                        scope.options,
                        gateway=draw.choice(
                            (None, address_of(IPv4Address("10.44.10.1")), address_of(IPv4Address("10.44.10.5")))
                        ),
                    ),
                )
            case "domain":
                return replace(
                    scope,
                    options=replace(
                        scope.options, domain=draw.choice(("", "larkspur.example", "stage.larkspur.example"))
                    ),
                )
        was = (
            dict(zip(scope.pools, pools, strict=False))
            if len(pools) == len(scope.pools)
            else {one: one for one in pools}
        )
        of_pools = tuple((was[pool], own) for pool, own in scope.of_pools if pool in was)
        return replace(scope, pools=tuple(pools), reservations=tuple(entries), of_pools=of_pools)

    def _of_a_pool(self, scope: Scope, pool: Pool) -> Scope:
        """One pool hands out something else, or the usual again."""
        own = scope.of_pool(pool)
        server = address_of(IPv4Address(f"10.44.10.{self._draw.randint(1, 9)}"))
        change: dict[str, Any] = self._draw.choice(
            (
                {"gateway": server},
                {"dns": (server,)},
                {"domain": "guests.example"},
                {"gateway": None, "dns": (), "domain": ""},
            )
        )
        others = [(one, options) for one, options in scope.of_pools if one != pool]
        new = replace(own, **change)
        return replace(scope, of_pools=(*others, *([(pool, new)] if new != HandedOut() else [])))


class Chain:
    """The versions of a server, as the records keep them."""

    def __init__(self) -> None:
        self._kept: list[tuple[str, str, Texts, str]] = []

    def keep(self, server: DhcpServer, before: Texts, after: Texts, hints: Sequence[IPv4Network]) -> None:
        again = [number for number, (was, _, _, _) in enumerate(self._kept) if was == digest(after)]
        if again:
            del self._kept[again[-1] :]
            return
        meant = meaning(one.scope for one in server.understand(before, {}, hints))
        self._kept.append((digest(before), meant, before, digest(after)))

    def former(self, there: There, meant: str) -> Texts | None:
        at = there.digest
        for before, meaning_then, texts, after in reversed(self._kept):
            if after == at:
                if meaning_then == meant:
                    return texts
                at = before
        return None


class Corpus(unittest.TestCase):
    """What both kinds of servers are tried with."""

    def setUp(self) -> None:
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def put(self, texts: Texts) -> None:
        for path, text in texts.items():
            Path(path).write_bytes(text.encode())

    def unowned(self, found: Sequence[Holding], owned: Owned) -> list[tuple[object, ...]]:
        """What people wrote, wherever it stands by now: every part that is not the plan's."""
        keys = {key for one in owned.values() for key in one}
        return sorted(
            (one.part.value, one.text, one.within, one.hangs)
            for one in found
            if one.part not in (Part.POOL, Part.OPTION, Part.SUBNET, Part.SETTING) and not self.is_owned(one, keys)
        )

    @staticmethod
    def is_owned(one: Holding, keys: set[str]) -> bool:
        return one.first is not None and any(
            f"reservation {Mac(mac)} {IPv4Address(one.first)}" in keys for mac in one.macs
        )

    def try_out(self, server: DhcpServer, name: str, comments: Callable[[Texts], list[str]], seed: int) -> None:
        draw = random.Random(seed)
        first = server.read({}, [OFFICE])
        before_all = first.texts
        scopes = [one.scope for one in first.scopes if one.scope.network != IPv4Network("0.0.0.0/0")]
        owned: Owned = {str(scope.network): frozenset(keys_of(scope)) for scope in scopes}
        plan, chain = Plan(scopes, draw, isinstance(server, KeaServer)), Chain()
        hints = [scope.network for scope in scopes]
        history: list[list[Scope]] = []
        said = comments(first.texts)
        held = server.holdings(hints)
        hung = self.hanging(held)
        for step in range(2 * EDITS):
            if step < EDITS:
                history.append(list(plan.scopes))
                plan.edit()
            else:
                plan.scopes = history.pop()
            others = self.unowned(held, owned)
            shown, there = preview(server, plan.scopes, owned, chain.former)
            if shown.difference.conflicts:
                # Somebody else's entry stands against it; a person would see that. The plan goes back to what it was.
                if step < EDITS:
                    plan.scopes = history.pop()
                    continue
                self.fail(f"{name}: taking back is in conflict: {shown.difference.conflicts}")
            if shown.after != there.texts:
                chain.keep(server, there.texts, shown.after, hints)
                self.put(shown.after)
            kept = as_owned(shown.owned)
            if shown.after == there.texts and kept == owned:
                continue  # nothing was written: all is as it was just looked at
            back = server.read(kept, hints)
            left = difference([*shown.difference.scopes], back.scopes)
            self.assertEqual([line for line in left.lines if line not in shown.left], [], f"{name}, step {step}")
            self.assertEqual(comments(back.texts), said, f"{name}, step {step}: comments")
            held = server.holdings(hints)
            still = self.unowned(held, kept)
            self.assertEqual([one for one in others if one not in still], [], f"{name}, step {step}: what people wrote")
            self.assertFalse(hung - self.hanging(held), f"{name}, step {step}: what hung on a part is gone")
            owned = kept
        self.assertEqual(
            {path: Path(path).read_bytes().decode() for path in before_all}, before_all, f"{name}: octet for octet"
        )

    @staticmethod
    def hanging(found: Sequence[Holding]) -> set[tuple[str, str]]:
        """Everything that hangs on pools, reservations and classes, but for what the plan owns of pools."""
        about = (Part.POOL, Part.RESERVATION, Part.CLASS, Part.SHARED)
        mine = {f"option {name}" for name in OPTION_CODES}
        return {
            mark
            for one in found
            if one.part in about
            for mark in one.hangs
            if one.part is not Part.POOL or mark[0] not in mine
        }


class Kea(Corpus):
    def comments(self, texts: Texts) -> list[str]:
        """Every comment, in order, found by an own reading of the text."""
        return [found for text in texts.values() for found in COMMENTS.findall(text) if found]

    def test_unowned_octets_never_change_and_taking_back_gives_the_text_back(self) -> None:
        tried = 0
        others = [one for one in KEA_SPELLINGS if one != "as it is"]
        for number, (name, text) in enumerate(corpus("kea")):
            for spelling in ("as it is", others[number % 4], others[(number + 1) % 4]):
                spelt = KEA_SPELLINGS[spelling]
                path = self.folder / "kea.conf"
                path.write_bytes(spelt(text).encode())
                with self.subTest(name=name, spelling=spelling):
                    self.try_out(KeaServer(config=path, roster="aa11"), f"{name}, {spelling}", self.comments, tried)
                    self.assertNotIn(MARKED, path.read_text())
                tried += 1
        self.assertGreaterEqual(tried, 40)


class Running(unittest.TestCase):
    """What a Kea server runs after an edit is held against what the edit changed, whatever the server adds by itself."""

    TEXT: ClassVar[dict[str, Any]] = {
        "Dhcp4": {
            "valid-lifetime": 3600, "client-classes": [{"name": "phones", "test": "x"}],
            "subnet4": [{
                "id": 10, "subnet": "10.44.10.0/24", "pools": [{"pool": "10.44.10.100 - 10.44.10.199", "client-class": "phones"}],
                "option-data": [{"name": "routers", "data": "10.44.10.1"}],
                "reservations": [{"hw-address": "02:c0:44:00:00:0A", "ip-address": "10.44.10.30", "hostname": "Printer"}, {"client-id": "01:aa", "ip-address": "10.44.10.31"}],
            }],
        }
    }  # fmt: skip

    def runs(self, text: dict[str, Any]) -> dict[str, Any]:
        """A text as the server would tell it: defaults filled in, texts its own way, lists in another order."""
        told: dict[str, Any] = json.loads(json.dumps(text))
        server = told["Dhcp4"]
        server.setdefault("renew-timer", 0)
        for subnet in server["subnet4"]:
            usual = subnet.setdefault("valid-lifetime", server["valid-lifetime"])
            subnet |= {"min-valid-lifetime": usual, "max-valid-lifetime": usual, "relay": {"ip-addresses": []}}
            for pool in subnet["pools"]:
                pool["pool"] = pool["pool"].replace(" - ", "-")
                pool.setdefault("option-data", [])
            for option in subnet["option-data"]:
                option |= {"code": OPTION_CODES[option["name"]], "space": "dhcp4", "csv-format": True}
            for entry in subnet["reservations"]:
                entry.setdefault("hostname", "")
                entry |= {"next-server": "0.0.0.0", "client-classes": entry.get("client-classes", [])}
                if "hw-address" in entry:
                    entry["hw-address"] = entry["hw-address"].lower()
            subnet["reservations"].reverse()
        return told

    def edited(self, edit: Callable[[dict[str, Any]], object]) -> dict[str, Any]:
        text: dict[str, Any] = json.loads(json.dumps(self.TEXT))
        edit(text["Dhcp4"]["subnet4"][0])
        return text

    EDITS: ClassVar[tuple[Callable[[dict[str, Any]], object], ...]] = (
        lambda s: s["pools"][0].update(pool="10.44.10.100 - 10.44.10.179"), lambda s: s["reservations"][0].update(hostname="other"),
        lambda s: s["reservations"][0].pop("hostname"), lambda s: s["reservations"][0].update({"ip-address": "10.44.10.40"}),
        lambda s: s["reservations"].append({"hw-address": "02:c0:44:00:00:0B", "ip-address": "10.44.10.41"}), lambda s: s["reservations"].pop(0),
        lambda s: s["option-data"][0].update(data="10.44.10.2"), lambda s: s["option-data"].append({"name": "domain-name", "data": "x"}),
        lambda s: s["option-data"].clear(), lambda s: s.update({"valid-lifetime": 600}), lambda s: s["pools"].append({"pool": "10.44.10.50 - 10.44.10.60"}),
        lambda s: s.update({"user-context": {"even-roster": "aa"}}),
    )  # fmt: skip

    def test_an_edit_that_took_effect_has_nothing_beyond_it(self) -> None:
        for number, edit in enumerate(self.EDITS):
            after = self.edited(edit)
            self.assertEqual(beyond((self.TEXT, after), (self.runs(self.TEXT), self.runs(after))), [], number)

    def test_whatever_else_has_changed_is_told(self) -> None:
        strange: tuple[Callable[[dict[str, Any]], object], ...] = (
            lambda s: s["pools"][0].pop("client-class"), lambda s: s["pools"][0].update({"client-class": "others"}),
            lambda s: s["reservations"].__delitem__(0), lambda s: s["reservations"].append({"hw-address": "02:00:00:00:00:01", "ip-address": "10.44.10.99"}),
            lambda s: s.update({"id": 11}), lambda s: s["relay"].update({"ip-addresses": ["10.44.10.3"]}), lambda s: s["option-data"].append({"name": "ntp-servers", "code": 42, "data": "1.2.3.4"}),
        )  # fmt: skip
        for number, edit in enumerate(self.EDITS):
            after = self.edited(edit)
            for other, happens in enumerate(strange):
                runs = self.runs(after)
                happens(runs["Dhcp4"]["subnet4"][0])
                self.assertTrue(beyond((self.TEXT, after), (self.runs(self.TEXT), runs)), (number, other))
            runs = self.runs(after)
            runs["Dhcp4"]["client-classes"] = []
            self.assertTrue(beyond((self.TEXT, after), (self.runs(self.TEXT), runs)), number)

    def test_an_edit_that_took_no_effect_is_told(self) -> None:
        for number, edit in enumerate(self.EDITS):
            after, runs = self.edited(edit), self.runs(self.TEXT)
            told = beyond((self.TEXT, after), (runs, runs))
            self.assertTrue(told, number)


class Dnsmasq(Corpus):
    def comments(self, texts: Texts) -> list[str]:
        found = [line.partition("#")[2] for text in texts.values() for line in text.split("\n") if "#" in line]
        return [one for one in found if "published by the roster" not in one]

    def test_unowned_octets_never_change_and_taking_back_gives_the_text_back(self) -> None:
        tried = 0
        config = self.folder / "dnsmasq.conf"
        config.write_text(
            "dhcp-range=10.44.10.100,10.44.10.199,255.255.255.0,1h\ndhcp-range=10.44.20.100,10.44.20.199,255.255.255.0,1h\n"
        )
        for name, text in corpus("dnsmasq"):
            for spelling, spelt in DNSMASQ_SPELLINGS.items():
                path = self.folder / "hosts"
                path.write_bytes(spelt(text).encode())
                with self.subTest(name=name, spelling=spelling):
                    self.try_out(
                        DnsmasqServer(path, config, roster="aa11"), f"{name}, {spelling}", self.comments, tried
                    )
                tried += 1
        self.assertGreaterEqual(tried, 40)


class Dhcpd(Corpus):
    def comments(self, texts: Texts) -> list[str]:
        found = [one for text in texts.values() for one in HASHES.findall(text) if one]
        return [one for one in found if "published by the roster" not in one]

    def test_unowned_octets_never_change_and_taking_back_gives_the_text_back(self) -> None:
        tried = 0
        config, path = self.folder / "dhcpd.conf", self.folder / "hosts.conf"
        config.write_text(
            "subnet 10.44.10.0 netmask 255.255.255.0 { range 10.44.10.100 10.44.10.199; }\n"
            f'subnet 10.44.20.0 netmask 255.255.255.0 {{ range 10.44.20.100 10.44.20.199; }}\ninclude "{path}";\n'
        )
        for name, text in corpus("dhcpd"):
            for spelling, spelt in DNSMASQ_SPELLINGS.items():
                path.write_bytes(spelt(text).encode())
                with self.subTest(name=name, spelling=spelling):
                    self.try_out(DhcpdServer(config, path, roster="aa11"), f"{name}, {spelling}", self.comments, tried)
                tried += 1
        self.assertGreaterEqual(tried, 40)


if __name__ == "__main__":
    unittest.main()
