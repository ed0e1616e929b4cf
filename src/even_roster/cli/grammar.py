"""What there is to say: every command in the groups in which people work, with a word about it and an example from Larkspur Hall.

A noun in the singular lists when it stands alone; verbs follow it. What people say as a verb stands alone. The help of the whole is
made from here: it needs no module of a command.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    import argparse

    Command = Callable[[argparse.Namespace], int]


class Word(NamedTuple):
    """A command: where it is, what it is for, how it is used at Larkspur Hall."""

    module: str
    about: str
    example: str


GROUPS: dict[str, dict[str, Word]] = {
    "look": {
        "here": Word("lookup", "the network this machine stands on", "roster here"),
        "scan": Word("scans", "scan ranges and record what answers; earlier scans", "roster scan 10.44.10.0/26"),
        "find": Word("lookup", "where is it: by any fragment of name, address, MAC, note", "roster find 'box off'"),
        "explain": Word("lookup", "everything known about an address, a MAC or a device", "roster explain 10.44.20.41"),
        "why": Word("history", "why an address or a device is silent", "roster why 10.44.10.9"),
        "at": Word("history", "who was there at a moment", "roster at now 10.44.20.41"),
        "history": Word("history", "who had an address, where a device was, what changed", "roster history printer-1"),
        "call": Word("calling", "roll calls: who is here, looked at again and again", "roster call --once"),
        "wake": Word("calling", "wake a sleeping device, and be told when it is up", "roster wake portable-05 --no-wait"),
        "listen": Word("watching", "what is heard on the links, live", "roster listen --once"),
        "measure": Word("lookup", "all sums on a range", "roster measure 10.44.64.0/22"),
        "switch": Word("switches", "the switches that are read; add, show, read, compare", "roster switch"),
        "port": Word("ports", "what hangs on which port; notes, marks", "roster port --of switch-office-1"),
        "pair": Word("pairs", "which address belongs to which MAC, and who says so", "roster pair --find 10.44.30"),
        "where": Word("ports", "which switch and port somebody is plugged into", "roster where printer-1"),
        "link": Word("wiring", "how the switches hang together; rings, what is kept shut", "roster link"),
        "map": Word("wiring", "the map of the wiring: as text, as SVG for the wall", "roster map"),
        "path": Word("wiring", "the way between two devices, cable by cable", "roster path printer-1 desk-payroll"),
        "chase": Word("chases", "find which cable is where: pull one and watch", "roster chase"),
        "range": Word("scans", "the ranges that were scanned; name one to scan it by", "roster range"),
    },
    "roster": {
        "device": Word("devices", "the devices; show, name, join, replace, retire one", "roster device --in Office"),
        "fit": Word("fitting", "bring new devices in, until they are proven", "roster fit --all"),
        "kind": Word("kinds", "kinds of devices: how they come, what their pages ask", "roster kind"),
        "finding": Word("findings", "what is wrong or needs a decision, and its remedies", "roster finding --brief"),
        "change": Word("devices", "every edit, and the way back", "roster change --limit 5"),
        "vendor": Word("lookup", "whose block a MAC lies in; the site's own prefixes", "roster vendor show 02C0.4400.0026"),
        "file": Word("spreadsheets", "assignments from and into a spreadsheet", "roster file out - --in Office"),
    },
    "plan": {
        "subnet": Word("plan", "the planned subnets: show, add, split, join, check", "roster subnet show Office"),
        "band": Word("plan", "static ranges, pools, stretches kept free", "roster band --in Office"),
        "site": Word("plan", "the sites; two may use the same ranges", "roster site"),
        "role": Word("plan", "the roles, and which must not depend on a pool", "roster role"),
        "assignment": Word("addresses", "every assigned address; show or change one", "roster assignment --in Office"),
        "free": Word("addresses", "free addresses, each with its proof", "roster free Office --role printer --count 3"),
        "prove": Word("addresses", "is this address free, and how do we know", "roster prove 10.44.20.120"),
        "assign": Word("addresses", "give an address to a device that has it typed in", "roster assign 10.44.10.38 --name till-3"),
        "reserve": Word(
            "addresses", "keep addresses for MACs at the DHCP server", "roster reserve 02-c0-44-00-99-02 --in Office --name till-9"
        ),
        "release": Word("addresses", "the address is nobody's any more", "roster release 10.44.10.38"),
        "move": Word(
            "addresses", "another address; lists what depends on the old one first", "roster move dimmer-rack-2 10.44.20.43"
        ),
        "use": Word("addresses", "who uses whose address, and for what", "roster use --about 10.44.20.41"),
        "card": Word("spreadsheets", "what to type into a device", "roster card printer-1"),
    },
    "servers": {
        "dhcp": Word("dhcp", "DHCP servers: publish the plan, adopt, leases, pools", "roster dhcp preview"),
        "credential": Word("switches", "by what switches are read: kept encrypted", "roster credential"),
        "dns": Word(
            "spreadsheets", "the roster's names: hosts file, zones, a check of the DNS", "roster dns zone larkspur.example"
        ),
    },
    "watch": {
        "watch": Word("watching", "how subnets are watched by themselves; what is kept", "roster watch"),
        "notice": Word("watching", "where notices of findings go", "roster notice"),
    },
    "service": {
        "serve": Word("serve", "run the service on this machine's network", "roster serve --listen 127.0.0.1:7420"),
        "demo": Word("serve", "run the service on the simulated site Larkspur Hall", "roster demo --no-open"),
        "console": Word("serve", "a one-time sign-in for a browser", "roster console"),
        "token": Word("serve", "what programs sign in with; renew it", "roster token"),
        "completion": Word("completion", "a completion script for the shell", "roster completion bash"),
    },
}  # fmt: skip
TITLES = {
    "look": "Look", "roster": "The roster", "plan": "The plan", "servers": "Servers", "watch": "By itself",
    "service": "The service",
}  # fmt: skip
WORDS = {word: told for words in GROUPS.values() for word, told in words.items()}


def overview() -> str:
    """All commands by group, for the help of the whole."""
    lines = []
    for group, words in GROUPS.items():
        lines += ["", f"{TITLES[group]}:", *(f"  {word:11} {told.about}" for word, told in words.items())]
    return "\n".join(lines).lstrip("\n")


def add_output(parser: argparse.ArgumentParser) -> None:
    """The options every command has."""
    parser.add_argument("--json", action="store_true", help="print one JSON document")
    parser.add_argument(
        "--wide", action="store_true", help="tables whole, on a terminal through a pager (PAGER, or less)"
    )


def verb(
    commands: Any, shared: argparse.ArgumentParser, word: str, run: Command, json: bool = True
) -> argparse.ArgumentParser:  # fmt: skip
    """A command that stands alone; without `json` it has no answer to print."""
    told = WORDS[word]
    parser: argparse.ArgumentParser = commands.add_parser(
        word, parents=[shared], help=told.about, description=f"{told.about[:1].upper()}{told.about[1:]}.",
        epilog=f"example: {told.example}",
    )  # fmt: skip
    if json:
        add_output(parser)
    parser.set_defaults(run=run)
    return parser


class Noun:
    """A command that lists when it stands alone, and its verbs."""

    def __init__(self, commands: Any, shared: argparse.ArgumentParser, word: str, run: Command) -> None:
        self.list = verb(commands, shared, word, run)
        self._shared, self._word = shared, word
        self._verbs = self.list.add_subparsers(dest="verb", metavar="VERB", title="verbs", parser_class=type(self.list))

    def verb(self, name: str, about: str, run: Command, example: str = "") -> argparse.ArgumentParser:
        """One of its verbs; `example` is what follows the noun and the verb."""
        parser: argparse.ArgumentParser = self._verbs.add_parser(
            name, parents=[self._shared], help=about, description=f"{about[:1].upper()}{about[1:]}.",
            epilog=f"example: roster {self._word} {name} {example}".rstrip() if example else None,
        )  # fmt: skip
        add_output(parser)
        parser.set_defaults(run=run)
        return parser
