"""The methods of the address plan, for both clients. A test asserts that both offer the same."""

from __future__ import annotations

from . import _plan_calls as calls
from ._descriptors import Async, Sync


class PlanCalls:
    """The plan's calls, blocking."""

    sites = Sync(calls.sites)
    add_site = Sync(calls.add_site)
    edit_site = Sync(calls.edit_site)
    remove_site = Sync(calls.remove_site)
    planned_subnets = Sync(calls.planned_subnets)
    planned_subnet = Sync(calls.planned_subnet)
    add_subnet = Sync(calls.add_subnet)
    draft_subnet = Sync(calls.draft_subnet)
    edit_subnet = Sync(calls.edit_subnet)
    remove_subnet = Sync(calls.remove_subnet)
    split_subnet = Sync(calls.split_subnet)
    join_subnets = Sync(calls.join_subnets)
    bands = Sync(calls.bands)
    add_band = Sync(calls.add_band)
    draft_band = Sync(calls.draft_band)
    edit_band = Sync(calls.edit_band)
    remove_band = Sync(calls.remove_band)
    plan_problems = Sync(calls.plan_problems)
    role_rules = Sync(calls.role_rules)
    set_role_rule = Sync(calls.set_role_rule)
    forget_role_rule = Sync(calls.forget_role_rule)
    assignment_page = Sync(calls.assignment_page)
    assignment = Sync(calls.assignment)
    assign = Sync(calls.assign)
    edit_assignment = Sync(calls.edit_assignment)
    move_assignment = Sync(calls.move_assignment)
    release = Sync(calls.release)
    uses = Sync(calls.uses)
    add_use = Sync(calls.add_use)
    finish_use = Sync(calls.finish_use)
    remove_use = Sync(calls.remove_use)
    free = Sync(calls.free)
    prove = Sync(calls.prove)


class AsyncPlanCalls:
    """The plan's calls, to be awaited."""

    sites = Async(calls.sites)
    add_site = Async(calls.add_site)
    edit_site = Async(calls.edit_site)
    remove_site = Async(calls.remove_site)
    planned_subnets = Async(calls.planned_subnets)
    planned_subnet = Async(calls.planned_subnet)
    add_subnet = Async(calls.add_subnet)
    draft_subnet = Async(calls.draft_subnet)
    edit_subnet = Async(calls.edit_subnet)
    remove_subnet = Async(calls.remove_subnet)
    split_subnet = Async(calls.split_subnet)
    join_subnets = Async(calls.join_subnets)
    bands = Async(calls.bands)
    add_band = Async(calls.add_band)
    draft_band = Async(calls.draft_band)
    edit_band = Async(calls.edit_band)
    remove_band = Async(calls.remove_band)
    plan_problems = Async(calls.plan_problems)
    role_rules = Async(calls.role_rules)
    set_role_rule = Async(calls.set_role_rule)
    forget_role_rule = Async(calls.forget_role_rule)
    assignment_page = Async(calls.assignment_page)
    assignment = Async(calls.assignment)
    assign = Async(calls.assign)
    edit_assignment = Async(calls.edit_assignment)
    move_assignment = Async(calls.move_assignment)
    release = Async(calls.release)
    uses = Async(calls.uses)
    add_use = Async(calls.add_use)
    finish_use = Async(calls.finish_use)
    remove_use = Async(calls.remove_use)
    free = Async(calls.free)
    prove = Async(calls.prove)
