"""Does a finding's step: the same edits a person would make in the plan, with the same checks and the same undo."""

from __future__ import annotations

from sqlalchemy import Connection

from ...api.findings import StepDone
from ...api.plan import AssignmentEdit, AssignmentNew
from ...core.address import dotted
from ...core.findings.model import Action, Step
from ...core.mac import Mac, MacNumber
from ...core.names import as_hostname
from ...core.plan.model import BandKind
from ...store import finding_records, seen_records
from ...store.edits import EditError
from ...store.rows import FindingRow
from .. import setting_edits
from ..context import Context
from ..devices import device_edits
from ..naming import request_values
from ..plan import planning
from ..web.problems import Refusal


def chosen(row: FindingRow, key: str) -> Step:
    """The step of a finding's record that somebody named by its key. Raises EditError when that names no step, Refusal when the
    finding does not offer it, or not any more."""
    steps = finding_records.steps_of(row)
    for step in steps:
        if step.key == key:
            return step
    offered = " or ".join(step.key for step in steps if step.pressable) or "nothing that could be pressed"
    if key.partition("=")[0] not in {action.verb for action in Action}:
        raise EditError(
            f"{key!r} names no step: they are named by what they do; finding {row.id} offers {offered}", "key"
        )
    raise Refusal(409, "stale", f"finding {row.id} does not offer {key}, or not any more; it offers {offered}", "key")


def do(context: Context, step: Step, who: str, anyway: bool) -> StepDone:
    """Do a step of a finding. Raises EditError, Missing, PlanRefused, AddressTaken."""
    if not step.pressable:
        raise EditError(f"{step.label!r} wants more than a press: do it on its page", "key")
    values = dict(step.values)
    match step.action:
        case Action.ASSIGN:
            done = _assign(context, values, "static", who, anyway)
        case Action.RESERVE:
            done = _assign(context, values, "reserved", who, anyway)
        case Action.MOVE_PLAN:
            address = request_values.address(values["address"])
            saved = context.plan.edit(who, planning.move(int(values["assignment"]), address, None), anyway=anyway)
            done = StepDone(said=f"the plan has it at {dotted(address)} now", change_id=saved.change)
        case Action.RELEASE:
            done = _release(context, values, who)
        case Action.JOIN:
            done = _join(context, values["devices"], who)
        case _:
            done = _member(context, values, who)
    context.findings.settle()
    return done


def _assign(context: Context, values: dict[str, str], kind: str, who: str, anyway: bool) -> StepDone:
    """Give an address to a MAC as it is seen; an assignment that is there gets the MAC instead."""
    address = request_values.address(values["address"])
    mac = request_values.maybe_mac(values.get("mac"))
    here = context.plan.site_here
    with context.plan.reading() as plan:
        there = plan.at(here, address)
        subnet = plan.subnet_at(here, address)
        band = plan.band_at(subnet.id, address) if subnet is not None else None
    if there is not None:
        request = AssignmentEdit(mac=values.get("mac", ""))
        saved = context.plan.edit(who, planning.edit_assignment(there.id, (there.version,), request), anyway=anyway)
        return StepDone(said=f"{dotted(address)} belongs to {values.get('mac')} now", change_id=saved.change)
    if kind == "static" and band is not None and band.kind is BandKind.POOL:
        kind = "reserved"
    with context.database.read() as connection:
        name, role = _known_as(connection, mac)
    new = AssignmentNew.model_validate(
        {"address": dotted(address), "mac": values.get("mac"), "kind": kind, "name": name, "role": role}
    )
    make = planning.assign(new, here, address, mac)
    saved = context.plan.edit(who, make, anyway=anyway)
    return StepDone(
        said=f"{dotted(address)} is planned as {kind} for {name or values.get('mac') or 'its holder'}",
        change_id=saved.change,
    )


def _release(context: Context, values: dict[str, str], who: str) -> StepDone:
    """Free an address, as long as it is the one that was said."""
    identity, said = int(values["assignment"]), values["address"]
    with context.plan.reading() as plan:
        item = plan.assignments.get(identity)
    if item is not None and dotted(item.address) != said:
        raise Refusal(409, "stale", f"{item.title} was moved from {said} to {dotted(item.address)} meanwhile", "key")
    saved = context.plan.edit(who, planning.release(identity))
    return StepDone(said=f"{said} is free again", change_id=saved.change)


def _known_as(connection: Connection, mac: MacNumber | None) -> tuple[str, str]:
    if mac is None:
        return "", ""
    known = seen_records.known_macs(connection, [mac]).get(mac)
    name = as_hostname(known.name).split(".")[0] if known is not None else ""
    return (name or f"device-{Mac(mac).to_bytes().hex()[-6:]}"), (known.role if known is not None else "")


def _member(context: Context, values: dict[str, str], who: str) -> StepDone:
    """From now on a MAC is known as a member of the router group that shares an address."""
    address, mac = request_values.address(values["address"]), Mac.parse(values["mac"])
    change = setting_edits.name_member(context, who, context.plan.site_here, address, mac.value)
    return StepDone(said=f"{mac} is known as a member of the router group at {dotted(address)}", change_id=change)


def _join(context: Context, ids: str, who: str) -> StepDone:
    devices = [int(one) for one in ids.split(",") if one]
    if len(devices) < 2:
        raise EditError("there are no two devices to join", "key")
    saved = context.plan.edit_records(who, device_edits.join(devices[0], devices[1:]), anyway=True)
    return StepDone(said=f"{len(devices)} devices are one now (device {devices[0]})", change_id=saved.change)
