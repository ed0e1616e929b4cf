"""What the demo puts into a new roster, by the same edits a person would make: vendors' prefixes and the site's plan."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from ...api.plan import AssignmentNew, BandNew, SiteEdit, SubnetNew, UseNew
from ...core.mac import Mac
from ...core.plan.model import Plan
from ...core.vendors import Prefix
from ...store import device_queries, lease_records, vendor_records
from .. import setting_edits
from ..context import Context
from ..devices import device_edits
from ..dhcp.dhcp_servers import DhcpServers
from ..knowing.plan_book import Edit, Make
from ..naming import request_values
from ..plan import planning

WHO = "demo"


def give_prefixes(context: Context, vendors: Iterable[tuple[str, str]]) -> None:
    """Name the own prefixes that the roster does not have yet."""
    with context.database.read() as connection:
        there = {prefix for prefix, _ in vendor_records.own(connection)}
    for text, name in vendors:
        prefix = Prefix.parse(text)
        if prefix not in there:
            setting_edits.set_prefix(context, WHO, prefix, name)


def give_plan(
    context: Context, site: str, server: str, subnets: Sequence[SubnetNew], bands: Mapping[str, Sequence[BandNew]],
    assignments: Sequence[AssignmentNew], reservations: Sequence[AssignmentNew], uses: Sequence[UseNew],
) -> None:  # fmt: skip
    """The site's plan, where nothing is planned yet: subnets, what the DHCP server hands out already (adopted), bands,
    addresses, and reservations that were entered but not published."""
    if context.plan.plan.subnets:
        return
    here = context.plan.site_here
    context.plan.edit(WHO, planning.edit_site(here, None, SiteEdit(name=site)))
    for subnet in subnets:
        context.plan.edit(WHO, planning.add_subnet(subnet, here))
    values = {"site": here, "name": server, "kind": "standin", "settings": {}, "addresses": []}
    made = setting_edits.add_server(context, WHO, values)
    managed = DhcpServers(context)
    managed.read_leases(made)
    managed.adopt(made, WHO)
    for name, drawn in bands.items():
        owner = request_values.known_subnet(context.plan.plan, here, name)
        if not drawn:
            continue
        made_bands = [planning.add_band(band.model_copy(update={"subnet": owner.id})) for band in drawn]
        context.plan.edit(WHO, _at_once(made_bands, f"{len(drawn)} bands of {name}"), anyway=True)
    made_assignments = [_assign(new, here) for new in (*assignments, *reservations)]
    if made_assignments:
        context.plan.edit(WHO, _at_once(made_assignments, f"{len(made_assignments)} rows"), anyway=True)
    if uses:
        context.plan.edit(WHO, _at_once([planning.add_use(use, here) for use in uses], f"{len(uses)} dependants"))


def _assign(new: AssignmentNew, here: int) -> Make:
    assert new.address is not None
    return planning.assign(new, here, request_values.address(new.address), request_values.maybe_mac(new.mac))


def _at_once(makes: Sequence[Make], item: str) -> Make:
    """Several new things of one kind as one edit, as from an administrator's spreadsheet."""

    def make(plan: Plan) -> Edit:
        edits = [one(plan) for one in makes]
        after = tuple(new for edit in edits for new in edit.after)
        return Edit("import", edits[0].kind, item, (), after, (None, {"added": len(after)}))

    return make


def publish(context: Context, server: str) -> None:
    """Send the plan to a DHCP server."""
    with context.database.read() as connection:
        row = next(row for row in lease_records.servers(connection) if row.name == server)
    DhcpServers(context).publishing.publish(row.id, None)


def name_device(context: Context, mac: Mac, name: str, role: str) -> None:
    """Name a device that is known by its lease."""
    with context.database.read() as connection:
        device = device_queries.device_of_mac(connection, mac.value)
    if device is not None:
        make = device_edits.set_fields([(device, None)], {"name": name, "role": role})
        context.plan.edit_records(WHO, make, anyway=True)


def welcome_strangers(context: Context, subnet: str) -> None:
    """A subnet for visitors: nobody is called for unknown devices there."""
    with context.plan.reading() as plan:
        owner = request_values.known_subnet(plan, context.plan.site_here, subnet)
    setting_edits.set_watch(context, WHO, owner.id, subnet, {"strangers": "none"})
