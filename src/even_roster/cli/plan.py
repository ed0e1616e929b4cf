"""`roster site`, `subnet`, `band`, `role`: what is planned, and its mistakes."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from .common import bad_input, connect, missing, words
from .grammar import Noun
from .output import Out, Text, plain

if TYPE_CHECKING:
    from ..api.plan import (
        BandView,
        HandedOutView,
        ProblemView,
        SubnetPlan,
        SubnetView,
    )
    from .connection import Service

STYLES = {"refused": "bold red", "mistake": "red", "advice": "yellow"}


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    _add_site(Noun(commands, shared, "site", _sites))
    _add_subnet(Noun(commands, shared, "subnet", _subnets))
    _add_band(Noun(commands, shared, "band", _bands))
    role = Noun(commands, shared, "role", _roles)
    setting = role.verb("set", "set a role's rule, or add a role of the site's own", _role_set, "kiosk --on-pool avoid")
    setting.add_argument("role", metavar="ROLE")
    setting.add_argument("--on-pool", choices=("never", "avoid", "fine"), default="fine")
    setting.add_argument("--travels", action="store_true", help="a reservation serves it better than typed-in settings")
    role.verb("remove", "back to the usual rule", _role_remove).add_argument("role", metavar="ROLE")


def _add_site(site: Noun) -> None:
    site.verb("add", "a further one", _site_add, "Annex").add_argument("name", metavar="NAME")
    setting = site.verb("set", "rename one, or say that this service stands in it", _site_set)
    setting.add_argument("which", metavar="SITE")
    setting.add_argument("--name", metavar="NAME")
    setting.add_argument("--here", action="store_true", help="this service stands in this one")
    site.verb("remove", "take an empty one away", _site_remove).add_argument("which", metavar="SITE")


def _add_subnet(subnet: Noun) -> None:
    subnet.list.add_argument("--site", metavar="NAME", help="of this site; else of all")

    def action(
        name: str, about: str, run: Callable[[argparse.Namespace], int], example: str = ""
    ) -> argparse.ArgumentParser:
        parser = subnet.verb(name, about, run, example)
        what = "its range with prefix or mask" if name == "add" else "its range or name"
        parser.add_argument(
            "which", metavar="SUBNET", help=f"{what}; a band or an address in it too" if name == "show" else what
        )
        parser.add_argument("--site", metavar="NAME", help="the one here when left out")
        return parser

    action("show", "its arithmetic, bands and mistakes", _subnet_show, "Office")
    adding = action("add", "plan one", _subnet_add, "10.44.50.0/24 --name Rehearsal --gateway 10.44.50.1")
    _subnet_fields(adding, new=True)
    _subnet_fields(action("set", "change one", _subnet_set, "Office --domain larkspur.example"), new=False)
    action("split", "cut it into equal parts, with everything in it", _subnet_split).add_argument(
        "prefix", metavar="/N", help="the prefix length of the parts"
    )
    action("join", "make neighbours one with it", _subnet_join).add_argument("others", nargs="+", metavar="OTHER")
    action("remove", "take it away; it must hold no assignments", _subnet_remove)
    check = subnet.verb("check", "every mistake in the plan, with the culprit and a remedy", _check)
    check.add_argument("--in", dest="subnet", metavar="SUBNET", help="only in this one")
    check.add_argument("--advice", action="store_true", help="end with 1 for advice too, not only for mistakes")


def _subnet_fields(parser: argparse.ArgumentParser, new: bool) -> None:
    if not new:
        parser.add_argument("--range", metavar="RANGE", help="its new range; everything in it must fit")
        parser.add_argument("--version", type=int, metavar="N", help="refuse when it is not at this version")
    parser.add_argument("--name")
    parser.add_argument("--gateway", metavar="ADDRESS", help=None if new else "'' takes it away")
    parser.add_argument("--dns", type=words, metavar="LIST")
    parser.add_argument("--domain", metavar="DOMAIN")
    parser.add_argument("--ntp", type=words, metavar="LIST")
    parser.add_argument("--vlan", type=int, metavar="N")
    parser.add_argument(
        "--supernet",
        action=argparse.BooleanOptionalAction,
        default=None,
        help="it holds subnets and no hosts of its own",
    )
    parser.add_argument("--notes")


def _add_band(band: Noun) -> None:
    band.list.add_argument("--in", dest="subnet", metavar="SUBNET", help="only in this one")
    add = band.verb("add", "draw one", _band_add, "Stage static 200-210 --name consoles")
    add.add_argument("subnet", metavar="SUBNET")
    add.add_argument("kind", choices=("static", "pool", "spare"))
    add.add_argument("range", metavar="RANGE", help="such as 10.44.10.20-60, or 20-60")
    setting = band.verb("set", "change one", _band_set, "printers --notes 'by the stairs'")
    setting.add_argument("--range", metavar="RANGE")
    setting.add_argument("--kind", choices=("static", "pool", "spare"))
    setting.add_argument("--version", type=int, metavar="N")
    remove = band.verb("remove", "take one away; what is assigned in it stays", _band_remove)
    for parser in (setting, remove):
        parser.add_argument("band", metavar="BAND", help="its range or name")
        parser.add_argument("--in", dest="within", metavar="SUBNET", help="where several have a band of that name")
    for parser in (add, setting):
        parser.add_argument("--name")
        parser.add_argument("--roles", type=words, metavar="LIST", help="what a static band is for")
        parser.add_argument("--by", metavar="SERVER", help="the DHCP server that hands a pool out; '' for none")
        parser.add_argument("--lease", metavar="TIME", help="lease time: 3600, 90m, 12h, 7d")
        parser.add_argument("--gateway", metavar="ADDRESS", help="handed out instead of the subnet's")
        parser.add_argument("--dns", type=words, metavar="LIST")
        parser.add_argument("--domain", metavar="DOMAIN")
        parser.add_argument("--ntp", type=words, metavar="LIST")
        parser.add_argument("--boot-server", metavar="NAME")
        parser.add_argument("--boot-file", metavar="FILE")
        parser.add_argument("--vendor-option", action="append", metavar="CODE=HEX", help="may be given several times")
        parser.add_argument("--notes")


def _sites(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.sites()
    if options.json:
        out.json_list(found)
    else:
        rows = [(str(s.id), s.name, "here" if s.here else "", str(s.subnet_count), s.notes) for s in found]
        out.table(("id", "site", "", "subnets", "notes"), rows, right=("id", "subnets"))
    return 0


def _site_add(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.add_site(options.name)
    return _sites(options)


def _site_set(options: argparse.Namespace) -> int:
    from ..api.plan import SiteEdit

    if options.name is None and not options.here:
        raise bad_input("say what is to change: --name, --here")
    with connect(options) as roster:
        edit = SiteEdit(name=options.name, here=True if options.here else None)
        roster.edit_site(_site_id(roster, options.which), edit)
    return _sites(options)


def _site_remove(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.remove_site(_site_id(roster, options.which))
    return _sites(options)


def _site_id(roster: Service, text: str) -> int:
    for site in roster.sites():
        if text.casefold() == site.name.casefold() or text == str(site.id):
            return site.id
    raise missing(f"there is no site {text!r}; 'roster site' lists them")


def _subnets(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.planned_subnets(options.site)
    if options.json:
        out.json_list(found)
    elif not found:
        out.say(
            "No subnet is planned yet; plan one with: roster subnet add 10.44.10.0/24 --name Office --gateway 10.44.10.1"
        )
    else:
        several = len({s.site.id for s in found}) > 1
        columns = (
            *(("site",) if several else ()),
            "subnet",
            "name",
            "vlan",
            "gateway",
            "usable",
            "pools",
            "taken",
            "left",
        )
        rows = [
            (
                *((s.site.name,) if several else ()), s.cidr, f"{s.name}{' (supernet)' if s.supernet else ''}",
                str(s.vlan or ""), s.gateway, f"{s.shares.usable:,}", f"{s.shares.pooled:,}", f"{s.shares.taken:,}",
                f"{s.shares.left:,}",
            )
            for s in found
        ]  # fmt: skip
        out.table(columns, rows, right=("vlan", "usable", "pools", "taken", "left"))
    return 0


def _subnet_show(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        found = roster.planned_subnet(options.which, options.site)
    _print_subnet(found, options.json)
    return 0


def _print_subnet(found: SubnetPlan, as_json: bool) -> None:
    out = Out(as_json)
    if as_json:
        out.json(found)
        return
    one = found.subnet
    out.say(f"{one.name} {one.cidr}".strip(), "bold")
    out.facts(
        [
            ("site", one.site.name), ("vlan", str(one.vlan) if one.vlan else None), ("mask", one.mask),
            ("usable", f"{one.first_usable} to {one.last_usable}"), ("gateway", one.gateway),
            ("dns", ", ".join(one.dns)), ("domain", one.domain), ("ntp", ", ".join(one.ntp)), ("notes", one.notes),
            ("version", str(one.version)),
        ]
    )  # fmt: skip
    out.say(f"\n{sums(one)}")
    if one.shares.roles:
        rows = [(r.title, ", ".join(r.roles), str(r.size), str(r.taken), str(r.left)) for r in one.shares.roles]
        out.table(("static use", "roles", "size", "taken", "left"), rows, right=("size", "taken", "left"))
    if found.bands:
        out.say("\nBands", "bold")
        print_bands(out, found.bands)
    if found.free_blocks:
        out.say(f"\nNo subnet holds: {', '.join(found.free_blocks)}")
    if found.problems:
        out.say("\nMistakes", "bold")
        print_problems(out, found.problems)


def sums(one: SubnetView) -> str:
    """The arithmetic in one line."""
    s = one.shares
    if one.supernet:
        return f"{s.usable:,} addresses - {s.taken:,} in subnets = {s.left:,} left"
    spare = f" - {s.spare:,} kept free" if s.spare else ""
    gateway = f" - {s.gateways} gateway" if s.gateways else ""
    return f"{s.usable:,} usable - {s.pooled:,} in pools{spare}{gateway} - {s.taken:,} taken = {s.left:,} left for static use"


def print_bands(out: Out, found: list[BandView], with_id: bool = True) -> None:
    """Bands as a table."""
    rows = [
        (
            str(b.id), b.kind, f"{b.first} - {b.last}", b.name, ", ".join(b.roles), str(b.size), str(b.taken),
            f"{b.leased} ({100 * b.leased // b.size} %)" if b.kind == "pool" else "", b.server.name if b.server else None,
        )
        for b in found
    ]  # fmt: skip
    out.table(
        ("id", "band", "range", "name", "roles", "size", "assigned", "leased", "server"), rows,
        right=("id", "size", "assigned", "leased"),
    )  # fmt: skip


def print_problems(out: Out, found: list[ProblemView]) -> None:
    """Problems, a sentence and a remedy each."""
    for problem in found:
        style = STYLES.get(problem.severity, "")
        out.line(Text.assemble((f"{problem.severity:8}", style), problem.sentence, "."))
        out.line(Text(f"        → {problem.remedy}", style="dim"))


def _subnet_add(options: argparse.Namespace) -> int:
    from ..api.plan import SubnetNew

    new = SubnetNew(
        range=options.which, site=options.site, name=options.name or "", gateway=options.gateway, dns=options.dns or [],
        domain=options.domain or "", ntp=options.ntp or [], vlan=options.vlan, supernet=bool(options.supernet),
        notes=options.notes or "",
    )  # fmt: skip
    with connect(options) as roster:
        _print_subnet(roster.add_subnet(new), options.json)
    return 0


def _subnet_set(options: argparse.Namespace) -> int:
    from ..api.plan import SubnetEdit

    edit = SubnetEdit(
        range=options.range, name=options.name, gateway=options.gateway, dns=options.dns,
        domain=options.domain, ntp=options.ntp, vlan=options.vlan, supernet=options.supernet, notes=options.notes,
    )  # fmt: skip
    with connect(options) as roster:
        _print_subnet(roster.edit_subnet(options.which, edit, options.site, options.version), options.json)
    return 0


def _subnet_split(options: argparse.Namespace) -> int:
    out = Out(options.json)
    text = options.prefix.lstrip("/")
    if not text.isdigit():
        raise bad_input(f"{options.prefix!r} is not a prefix length; write one such as /25")
    with connect(options) as roster:
        one = roster.planned_subnet(options.which, options.site).subnet
        parts = roster.split_subnet(options.which, int(text), options.site)
    if options.json:
        out.json_list(parts.items)
    else:
        out.say(f"{one.cidr} is now {len(parts.items)} subnets:")
        for part in parts.items:
            out.say(f"  {part.cidr}  {part.name}: {sums(part)}")
    return 0


def _subnet_join(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        _print_subnet(roster.join_subnets(options.which, options.others, options.site), options.json)
    return 0


def _subnet_remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        one = roster.planned_subnet(options.which, options.site).subnet
        roster.remove_subnet(options.which, options.site)
    if options.json:
        out.json(one)
    else:
        out.say(f"{one.cidr} is planned no more; 'roster change undo' can take that back.")
    return 0


def _bands(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.bands(options.subnet)
    if options.json:
        out.json_list(found)
    elif found:
        print_bands(out, list(found))
    else:
        out.say("No band is drawn yet; draw one with: roster band add Office pool 100-199")
    return 0


def seconds(text: str | None) -> int:
    """A lease time such as 3600, 90m, 12h or 7d."""
    if not text:
        return 0
    units = {"s": 1, "m": 60, "h": 3600, "d": 86400}
    number, unit = (text[:-1], units[text[-1]]) if text[-1] in units else (text, 1)
    if not number.isdigit():
        raise bad_input(f"{text!r} is not a length of time; write one such as 3600, 90m, 12h or 7d")
    return int(number) * unit


def _options_of(options: argparse.Namespace, base: HandedOutView) -> HandedOutView:
    from ..api.plan import HandedOutView

    given = {
        "lease_seconds": seconds(options.lease) if options.lease else None, "gateway": options.gateway,
        "dns": options.dns, "domain": options.domain, "ntp": options.ntp, "boot_server": options.boot_server,
        "boot_file": options.boot_file, "vendor_options": options.vendor_option,
    }  # fmt: skip
    return HandedOutView(**{**plain(base), **{name: value for name, value in given.items() if value is not None}})


def _band_add(options: argparse.Namespace) -> int:
    from ..api.plan import BandNew, HandedOutView

    with connect(options) as roster:
        band = roster.add_band(
            BandNew(
                subnet=options.subnet, kind=options.kind, range=options.range, name=options.name or "",
                roles=options.roles or [], options=_options_of(options, HandedOutView()),
                server=options.by, notes=options.notes or "",
            )
        )  # fmt: skip
        return _told(roster, band, options.json)


def _band_set(options: argparse.Namespace) -> int:
    from ..api.plan import BandEdit

    with connect(options) as roster:
        band = roster.band(options.band, options.within)
        edit = BandEdit(
            kind=options.kind, range=options.range, name=options.name, roles=options.roles,
            options=_options_of(options, band.options), server=options.by, notes=options.notes,
        )  # fmt: skip
        return _told(roster, roster.edit_band(band.id, edit, version=options.version), options.json)


def _band_remove(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        band = roster.band(options.band, options.within)
        roster.remove_band(band.id)
    if options.json:
        out.json(band)
    else:
        out.say(f"The {band.title} ({band.first} to {band.last}) is gone; what is assigned in it stays.")
    return 0


def _told(roster: Service, band: BandView, as_json: bool) -> int:
    out = Out(as_json)
    if as_json:
        out.json(band)
        return 0
    print_bands(out, [band])
    found = roster.plan_problems()
    mine = [p for p in found if any(s.type == "band" and s.value == str(band.id) for s in p.subjects)]
    print_problems(out, mine)
    return 0


def _check(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = list(roster.plan_problems(options.subnet))
    if options.json:
        out.json_list(found)
    elif not found:
        out.say("No mistakes.")
    else:
        print_problems(out, found)
        hard = sum(1 for p in found if p.severity != "advice")
        soft = len(found) - hard
        pieces = "1 piece" if soft == 1 else f"{soft} pieces"
        out.say(f"\n{hard} mistake{'' if hard == 1 else 's'}, {pieces} of advice.", "bold")
    return 1 if any(options.advice or p.severity != "advice" for p in found) else 0


def _roles(options: argparse.Namespace) -> int:
    out = Out(options.json)
    with connect(options) as roster:
        found = roster.role_rules()
    if options.json:
        out.json_list(found)
    else:
        rows = [(r.name, r.on_pool, "travels: reserve" if r.travels else "") for r in found]
        out.table(("role", "on a pool", ""), rows)
    return 0


def _role_set(options: argparse.Namespace) -> int:
    from ..api.plan import RoleRule

    with connect(options) as roster:
        roster.set_role_rule(RoleRule(name=options.role, on_pool=options.on_pool, travels=options.travels))
    return _roles(options)


def _role_remove(options: argparse.Namespace) -> int:
    with connect(options) as roster:
        roster.forget_role_rule(options.role)
    return _roles(options)
