"""The calls of the address plan as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING
from urllib.parse import quote

from ._calls import Call, ListCall, call, listing, named, or_any

if TYPE_CHECKING:
    from ..api.dhcp import (
        AdoptDone,
        AllowedPage,
        AllowedServer,
        DhcpPreview,
        DhcpServerEdit,
        DhcpServerNew,
        DhcpServerPage,
        DhcpServerView,
        DhcpSheet,
        ExportText,
        HoldingPart,
        HoldingsPage,
        HoldingView,
        LeasePage,
        LeaseView,
        PoolPage,
        PoolView,
        PublishDone,
    )
    from ..api.plan import (
        AssignmentEdit,
        AssignmentKind,
        AssignmentNew,
        AssignmentPage,
        AssignmentRow,
        AssignmentView,
        BandDraft,
        BandEdit,
        BandNew,
        BandPage,
        BandView,
        Candidate,
        FreeAnswer,
        LeaseEnded,
        Moved,
        Problems,
        ProblemView,
        Renewal,
        RolePage,
        RoleRule,
        Search,
        SettleDone,
        SiteEdit,
        SitePage,
        SiteView,
        SubnetEdit,
        SubnetNew,
        SubnetPage,
        SubnetPlan,
        SubnetView,
        UseNew,
        UsePage,
        UseView,
    )
    from ..api.spreadsheets import CardView, ImportReport, NameCheck, NamesText


def sites() -> ListCall[SiteView, SitePage]:
    """All sites."""
    return listing("SitePage", "/api/v1/sites")


def add_site(name: str, notes: str = "") -> Call[SiteView]:
    """A further site."""
    return call("SiteView", "POST", "/api/v1/sites", body={"name": name, "notes": notes})


def edit_site(identity: int, edit: SiteEdit, version: int | None = None) -> Call[SiteView]:
    """Change a site. Raises BadInput, NotFound, StaleEdit."""
    return call("SiteView", "PATCH", f"/api/v1/sites/{identity}", body=edit, version=or_any(version))


def remove_site(identity: int) -> Call[None]:
    """Take an empty site away."""
    return call("None", "DELETE", f"/api/v1/sites/{identity}")


def planned_subnets(site: str | None = None) -> ListCall[SubnetView, SubnetPage]:
    """Planned subnets of a site, or of all."""
    return listing("SubnetPage", "/api/v1/plan/subnets", {"site": site})


def planned_subnet(which: int | str, site: str | None = None) -> Call[SubnetPlan]:
    """One planned subnet by id, name, range, or an address in it. Raises NotFound."""
    return call("SubnetPlan", "GET", f"/api/v1/plan/subnets/{named(which)}", {"site": site})


def add_subnet(new: SubnetNew) -> Call[SubnetPlan]:
    """Plan a subnet. Raises BadInput."""
    return call("SubnetPlan", "POST", "/api/v1/plan/subnets", body=new)


def draft_subnet(new: SubnetNew) -> Call[Problems]:
    """The mistakes that a new subnet would be or bring."""
    return call("Problems", "POST", "/api/v1/plan/subnets/draft", body=new)


def edit_subnet(
    which: int | str, edit: SubnetEdit, site: str | None = None, version: int | None = None
) -> Call[SubnetPlan]:
    """Change a subnet. Raises BadInput, NotFound, StaleEdit."""
    return call(
        "SubnetPlan",
        "PATCH",
        f"/api/v1/plan/subnets/{named(which)}",
        {"site": site},
        body=edit,
        version=or_any(version),
    )


def remove_subnet(which: int | str, site: str | None = None) -> Call[None]:
    """Take a subnet without assignments away."""
    return call("None", "DELETE", f"/api/v1/plan/subnets/{named(which)}", {"site": site})


def split_subnet(which: int | str, prefix_length: int, site: str | None = None) -> Call[SubnetPage]:
    """Cut a subnet into equal parts with everything in it."""
    return call(
        "SubnetPage",
        "POST",
        f"/api/v1/plan/subnets/{named(which)}/split",
        {"site": site},
        body={"prefix_length": prefix_length},
    )


def join_subnets(which: int | str, others: Sequence[int | str], site: str | None = None) -> Call[SubnetPlan]:
    """Make neighbours one."""
    return call(
        "SubnetPlan", "POST", f"/api/v1/plan/subnets/{named(which)}/join", {"site": site}, body={"others": list(others)}
    )


def bands(subnet: int | str | None = None, site: str | None = None) -> ListCall[BandView, BandPage]:
    """Bands of a subnet, or of all."""
    return listing("BandPage", "/api/v1/bands", {"subnet": subnet, "site": site})


def band(which: int | str, within: str | None = None, site: str | None = None) -> Call[BandView]:
    """One band by id, range or name; `within` is its subnet, where several have one of that name. Raises NotFound, Ambiguous."""
    return call("BandView", "GET", f"/api/v1/bands/{named(which)}", {"within": within, "site": site})


def add_band(new: BandNew) -> Call[BandView]:
    """Draw a band. Raises BadInput."""
    return call("BandView", "POST", "/api/v1/bands", body=new)


def draft_band(draft: BandDraft) -> Call[Problems]:
    """The mistakes that a band would be or bring."""
    return call("Problems", "POST", "/api/v1/bands/draft", body=draft)


def edit_band(
    which: int | str, edit: BandEdit, within: str | None = None, site: str | None = None, version: int | None = None
) -> Call[BandView]:
    """Change a band. Raises BadInput, NotFound, StaleEdit."""
    return call(
        "BandView",
        "PATCH",
        f"/api/v1/bands/{named(which)}",
        {"within": within, "site": site},
        body=edit,
        version=or_any(version),
    )


def remove_band(which: int | str, within: str | None = None, site: str | None = None) -> Call[None]:
    """Take a band away."""
    return call("None", "DELETE", f"/api/v1/bands/{named(which)}", {"within": within, "site": site})


def plan_problems(subnet: str | None = None) -> ListCall[ProblemView, Problems]:
    """Every mistake in the plan, or in one subnet."""
    return listing("Problems", "/api/v1/plan/problems", {"subnet": subnet})


def role_rules() -> ListCall[RoleRule, RolePage]:
    """The roles and what they mean for planning."""
    return listing("RolePage", "/api/v1/roles")


def set_role_rule(rule: RoleRule) -> Call[None]:
    """Set a role's rule, or add a role of the site's own."""
    return call("None", "PUT", "/api/v1/roles", body=rule)


def forget_role_rule(name: str) -> Call[None]:
    """Back to the usual rule of a role."""
    return call("None", "DELETE", f"/api/v1/roles/{quote(name, safe='')}")


def assignments(
    q: str = "", subnet: str | None = None, site: str | None = None, kind: AssignmentKind | None = None,
    role: str | None = None, on: bool | None = None, sort: str = "address", descending: bool = False,
    limit: int | None = None,
) -> ListCall[AssignmentRow, AssignmentPage]:  # fmt: skip
    """The assignments that match all filters."""
    given = {
        "q": q, "subnet": subnet, "site": site, "kind": kind, "role": role, "on": on, "sort": sort, "descending": descending,
    }  # fmt: skip
    return listing("AssignmentPage", "/api/v1/assignments", given, limit)


def assignment(which: int | str, site: str | None = None) -> Call[AssignmentView]:
    """One assignment by id or address. Raises NotFound."""
    return call("AssignmentView", "GET", f"/api/v1/assignments/{named(which)}", {"site": site})


def assign(new: AssignmentNew) -> Call[AssignmentView]:
    """Give an address to a device. Raises BadInput, Conflict (saying who has it)."""
    return call("AssignmentView", "POST", "/api/v1/assignments", body=new)


def edit_assignment(
    which: int | str, edit: AssignmentEdit, site: str | None = None, version: int | None = None
) -> Call[AssignmentView]:
    """Change an assignment. Raises BadInput, NotFound, StaleEdit."""
    return call(
        "AssignmentView",
        "PATCH",
        f"/api/v1/assignments/{named(which)}",
        {"site": site},
        body=edit,
        version=or_any(version),
    )


def move_assignment(
    which: int | str, address: str, version: int | None = None, anyway: bool = False, site: str | None = None
) -> Call[Moved]:
    """Another address; gives what still has the old one entered. Raises Conflict, BadInput, StaleEdit."""
    body = {"address": address, "anyway": anyway}
    path = f"/api/v1/assignments/{named(which)}/move"
    return call("Moved", "POST", path, {"site": site}, body=body, version=version)


def release(which: int | str, site: str | None = None, version: int | None = None) -> Call[None]:
    """The address is nobody's any more."""
    return call("None", "DELETE", f"/api/v1/assignments/{named(which)}", {"site": site}, version=version)


def uses(address: str | None = None, site: str | None = None) -> ListCall[UseView, UsePage]:
    """Who uses an address, or all uses."""
    return listing("UsePage", "/api/v1/uses", {"address": address, "site": site})


def add_use(new: UseNew) -> Call[UseView]:
    """Record who uses an address for what."""
    return call("UseView", "POST", "/api/v1/uses", body=new)


def finish_use(identity: int) -> Call[UseView]:
    """After a move: the new address was entered there."""
    return call("UseView", "POST", f"/api/v1/uses/{identity}/done")


def remove_use(identity: int) -> Call[None]:
    """Forget a use."""
    return call("None", "DELETE", f"/api/v1/uses/{identity}")


def free(search: Search) -> Call[FreeAnswer]:
    """Free addresses with their proof. Raises BadInput, NotFound."""
    return call("FreeAnswer", "POST", "/api/v1/free", body=search)


def settle(devices: Sequence[int | str], dry_run: bool = False) -> Call[SettleDone]:
    """Make the addresses that devices have now lasting, as one change."""
    return call("SettleDone", "POST", "/api/v1/assignments/settle", body={"devices": list(devices), "dry_run": dry_run})


def prove(address: str, site: str | None = None, ask: bool = True) -> Call[Candidate]:
    """Whether one address is free, with the evidence."""
    return call("Candidate", "POST", "/api/v1/prove", body={"address": address, "site": site, "ask": ask})


def dhcp_servers() -> ListCall[DhcpServerView, DhcpServerPage]:
    """All DHCP servers."""
    return listing("DhcpServerPage", "/api/v1/dhcp/servers")


def dhcp_allowed() -> ListCall[AllowedServer, AllowedPage]:
    """The DHCP servers that the service's host allows to be reached."""
    return listing("AllowedPage", "/api/v1/dhcp/allowed")


def add_dhcp_server(new: DhcpServerNew) -> Call[DhcpServerView]:
    """Manage a DHCP server. Raises BadInput."""
    return call("DhcpServerView", "POST", "/api/v1/dhcp/servers", body=new)


def edit_dhcp_server(which: int | str, edit: DhcpServerEdit, version: int | None = None) -> Call[DhcpServerView]:
    """Change how a server is reached."""
    return call("DhcpServerView", "PATCH", f"/api/v1/dhcp/servers/{named(which)}", body=edit, version=or_any(version))


def remove_dhcp_server(which: int | str) -> Call[None]:
    """Manage a server no longer."""
    return call("None", "DELETE", f"/api/v1/dhcp/servers/{named(which)}")


def dhcp_preview(which: int | str, take_over: bool = False) -> Call[DhcpPreview]:
    """What publishing would change. Raises ServiceFault when the server cannot be read."""
    return call("DhcpPreview", "POST", f"/api/v1/dhcp/servers/{named(which)}/preview", {"take_over": take_over or None})


def dhcp_publish(which: int | str, digest: str | None = None, take_over: bool = False) -> Call[PublishDone]:
    """Send the plan to a server. Raises BadInput when its own check refuses, ServiceFault when it fails; then it is as
    it was."""
    return call(
        "PublishDone",
        "POST",
        f"/api/v1/dhcp/servers/{named(which)}/publish",
        body={"digest": digest, "take_over": take_over},
    )


def dhcp_adopt(which: int | str, dry_run: bool = True) -> Call[AdoptDone]:
    """Take a server's pools and reservations into the plan."""
    return call("AdoptDone", "POST", f"/api/v1/dhcp/servers/{named(which)}/adopt", body={"dry_run": dry_run})


def dhcp_read(which: int | str) -> Call[DhcpServerView]:
    """Read a server's leases now."""
    return call("DhcpServerView", "POST", f"/api/v1/dhcp/servers/{named(which)}/read")


def dhcp_holdings(
    which: int | str, *, part: HoldingPart | None = None, search: str = "", now: bool = False, limit: int | None = None
) -> ListCall[HoldingView, HoldingsPage]:
    """All that a server holds, whoever wrote it, with where it stands; with `now` it is read first."""
    params = {"part": part, "search": search or None, "now": now or None}
    return listing("HoldingsPage", f"/api/v1/dhcp/servers/{named(which)}/holdings", params, limit)


def dhcp_sheet(which: int | str) -> Call[DhcpSheet]:
    """What was handed out to be entered into a server by hand, ticked off by what the wire showed last."""
    return call("DhcpSheet", "GET", f"/api/v1/dhcp/servers/{named(which)}/sheet")


def dhcp_look(which: int | str) -> Call[DhcpSheet]:
    """Ask the wire what of a sheet was entered; takes some seconds, and no lease."""
    return call("DhcpSheet", "POST", f"/api/v1/dhcp/servers/{named(which)}/sheet/look")


def renewal(assignment: int) -> Call[Renewal | None]:
    """How a device that waits for its reservation comes to it; None when it holds no other lease."""
    return call("Renewal | None", "GET", f"/api/v1/dhcp/renewals/{assignment}")


def end_lease(assignment: int) -> Call[LeaseEnded]:
    """End the old lease of a device that waits for its reservation; refused unless its address is silent."""
    return call("LeaseEnded", "POST", f"/api/v1/dhcp/renewals/{assignment}/end")


def dhcp_leases(server: int | str | None = None, limit: int | None = None) -> ListCall[LeaseView, LeasePage]:
    """Leases as the servers told them last."""
    return listing("LeasePage", "/api/v1/dhcp/leases", {"server": server}, limit)


def dhcp_pools() -> ListCall[PoolView, PoolPage]:
    """How full every pool is."""
    return listing("PoolPage", "/api/v1/dhcp/pools")


def dhcp_export(
    form: str = "json", server: int | None = None, subnet: str | None = None, notation: str = "colons"
) -> Call[ExportText]:
    """Pools and reservations as a text: 'json', 'hosts' or 'sheet'."""
    params = {"form": form, "server": server, "subnet": subnet, "notation": notation}
    return call("ExportText", "GET", "/api/v1/dhcp/export", params)


def import_sheet(
    data: bytes, dry_run: bool = True, mapping: Mapping[str, str] | None = None, limit: int = 2000
) -> Call[ImportReport]:
    """Assignments from a CSV or XLSX file's octets; `mapping` is field to header. Raises BadInput with row and column."""
    params = {"dry_run": dry_run, "limit": limit, "mapping": [f"{f}={h}" for f, h in (mapping or {}).items()]}
    return call("ImportReport", "POST", "/api/v1/sheets/import", params, content=data)


def export_sheet(form: str = "csv", subnet: str | None = None, site: str | None = None) -> Call[bytes]:
    """All assignments, or those of a subnet, as the octets of a CSV or XLSX file."""
    return call("bytes", "GET", "/api/v1/sheets/export", {"form": form, "subnet": subnet, "site": site})


def names_text(zone: str | None = None, servers: Sequence[str] = (), site: str | None = None) -> Call[NamesText]:
    """A hosts file and zones from the roster's names."""
    return call("NamesText", "GET", "/api/v1/names", {"zone": zone, "server": list(servers), "site": site})


def check_names(server: str | None = None, subnet: str | None = None) -> Call[NameCheck]:
    """Ask the site's DNS about every name of the roster."""
    return call("NameCheck", "POST", "/api/v1/names/check", {"server": server, "subnet": subnet})


def card(address: str, adapter: str = "eth0", site: str | None = None) -> Call[CardView]:
    """What to type into a device. Raises BadInput."""
    return call("CardView", "GET", f"/api/v1/cards/{quote(address, safe='')}", {"adapter": adapter, "site": site})
