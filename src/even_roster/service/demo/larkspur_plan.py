"""Larkspur Hall's plan, as its administrator has drawn it up. What does not agree with the site is a mistake to be found."""

from __future__ import annotations

from ipaddress import IPv4Address

from ...api.plan import AssignmentNew, BandNew, SubnetNew, UseNew
from ...core.address import address_of
from ...standin import larkspur
from ...standin.site import Site
from ..context import Context
from .site_setup import WHO, give_plan, name_device, publish, welcome_strangers

_DNS = ["10.44.10.1"]


def plan_larkspur(context: Context, site: Site) -> None:
    """Enter the plan into a new roster; what the administrator has accepted and said of devices too."""
    if context.plan.plan.subnets:
        return
    give_plan(
        context, "Larkspur Hall", larkspur.DHCP_SERVER, _subnets(), _bands(), _static(site), _reserved(site), _uses()
    )
    publish(context, larkspur.DHCP_SERVER)
    _accepted(context, site)
    point = next(host for host in site.hosts if host.label == "access-point-6")
    name_device(context, point.mac, "access-point-6", "wireless")
    welcome_strangers(context, "Visitors")


def _accepted(context: Context, site: Site) -> None:
    """What is known to be so on purpose."""
    shared = str(address_of(IPv4Address("10.44.10.254")))
    both = [str(host.mac) for host in site.hosts if IPv4Address("10.44.10.254") in host.addresses]
    reason = "two gateways share this virtual router address"
    context.findings.accept_ahead("duplicate-address", shared, reason, WHO, both)
    annex = next(host for host in site.hosts if host.label == "gate-annex")
    reason = "it stands in for the old range that moved behind it"
    context.findings.accept_ahead("proxy-arp", str(annex.mac.value), reason, WHO, [str(annex.mac)])


def _subnets() -> list[SubnetNew]:
    return [
        SubnetNew(
            range=str(s.network), name=s.name, vlan=s.vlan, gateway=str(s.network.network_address + 1), dns=_DNS,
            domain=larkspur.DOMAIN,
        )
        for s in larkspur.SUBNETS
    ]  # fmt: skip


def _band(kind: str, range: str, name: str, *roles: str) -> BandNew:
    return BandNew.model_validate({"subnet": 0, "kind": kind, "range": range, "name": name, "roles": list(roles)})


def _bands() -> dict[str, list[BandNew]]:
    return {
        "Office": [
            _band("static", "10.44.10.1-11", "office gear", "network"),
            _band("static", "10.44.10.12-24", "office servers", "server", "storage"),
            _band("static", "10.44.10.28-47", "printers", "printer"),
            _band("static", "10.44.10.48-79", "phones", "phone"),
            _band("static", "10.44.10.80-99", "desks", "workstation"),
            _band("spare", "10.44.10.200-239", "for the new wing"),
        ],
        "Stage": [
            _band("static", "10.44.20.1-11", "stage gear", "network"),
            _band("static", "10.44.20.30-89", "light", "control"),
            _band("static", "10.44.20.100-119", "sound", "control"),
            _band("static", "10.44.20.120-129", "stage servers", "server", "storage"),
        ],
        "Foyer": [
            _band("static", "10.44.30.20-69", "gates, tills and signs", "control", "other"),
            _band("static", "10.44.30.80-99", "access points", "wireless"),
        ],
        "Cameras": [
            _band("static", "10.44.40.8-15", "recorders", "storage"),
            _band("static", "10.44.40.20-47", "cameras", "camera"),
        ],
    }


_ROLES = (
    ("gate-", "network", range(10, 65)), ("switch-", "network", range(10, 65)), ("ledger", "storage", range(10, 11)),
    ("archive", "storage", range(10, 11)), ("desk-", "workstation", range(10, 11)),
    ("printer-", "printer", range(10, 11)), ("phone-", "phone", range(10, 11)),
    ("light-", "control", range(20, 21)), ("dimmer-", "control", range(20, 21)), ("stage-box", "control", range(20, 21)),
    ("media-", "server", range(20, 21)), ("card-terminal", "control", range(30, 31)), ("sign-", "other", range(30, 31)),
    ("access-point", "wireless", range(30, 31)), ("recorder", "storage", range(40, 41)), ("camera-", "camera", range(40, 41)),
)  # fmt: skip
# The plan moved this switch; nobody pressed apply.
_MOVED = {"switch-attic": "10.44.10.9"}
_UNPLANNED = ("access-point-6", "light-node-new")


def _static(site: Site) -> list[AssignmentNew]:
    """What is typed into devices, by the label they bear."""
    found: dict[str, AssignmentNew] = {}
    labels: set[str] = set()
    for host in site.hosts:
        rule = next((r for r in _ROLES if host.label.startswith(r[0]) and host.vlan in r[2]), None)
        if rule is None or host.label in _UNPLANNED or host.label in labels:
            continue
        labels.add(host.label)
        ticket_gate = host.vlan == 30 and host.label.startswith("gate-") and not host.routes
        role = "control" if ticket_gate else rule[1]
        name = f"admission-{host.label[5:]}" if ticket_gate else host.label
        address = _MOVED.get(host.label, str(host.addresses[0]))
        found.setdefault(
            address, AssignmentNew(address=address, mac=str(host.mac), name=name, role=role, kind="static")
        )
    return list(found.values())


def _reserved(site: Site) -> list[AssignmentNew]:
    """A laptop that keeps its old lease meanwhile, and one that was never seen here."""
    portable = next(host for host in site.hosts if host.label == "portable-05")
    waiting = AssignmentNew(
        address="10.44.10.181",
        mac=str(portable.mac),
        name="portable-05",
        role="portable",
        kind="reserved",
        notes="the stage manager's",
    )
    absent = AssignmentNew(
        address="10.44.10.182", mac="02:c0:9f:ae:00:77", name="portable-touring", role="portable", kind="reserved",
        notes="comes with the touring company",
    )  # fmt: skip
    return [waiting, absent]


def _uses() -> list[UseNew]:
    return [
        UseNew(user="light desk", address="10.44.20.41", purpose="dimmer control"),
        UseNew(user="box office tills", address="10.44.10.12", purpose="ticket ledger"),
        UseNew(user="desk-bookings", address="10.44.10.31", purpose="print queue"),
        UseNew(user="gate-10, rule 14", address="10.44.20.120", purpose="allowed to reach the archive"),
    ]
