"""Every call as a method: of a client that blocks it gives the answer, of one for asyncio what is to be awaited."""

from __future__ import annotations

import functools
from collections.abc import Awaitable, Callable
from typing import Any, Generic, ParamSpec, Protocol, TypeVar, overload

from . import _calls, _fitting_calls, _plan_calls, _switch_calls, _watch_calls, _wiring_calls
from ._calls import Call, ListCall
from ._listing import AsyncListing, Listing

P = ParamSpec("P")
T = TypeVar("T")
R = TypeVar("R")
PageT = TypeVar("PageT")


class Runs(Protocol):
    """A client that blocks."""

    def run(self, call: Call[R]) -> R:
        """Make one call."""


class RunsLater(Protocol):
    """A client for asyncio."""

    async def run(self, call: Call[R]) -> R:
        """Make one call."""


class Method(Generic[P, T]):
    """A call as a method of a client."""

    def __init__(self, build: Callable[P, Call[T]]) -> None:
        self._build = build

    @overload
    def __get__(self, client: Runs, owner: type) -> Callable[P, T]: ...

    @overload
    def __get__(self, client: RunsLater, owner: type) -> Callable[P, Awaitable[T]]: ...

    def __get__(self, client: Any, owner: type) -> Callable[P, Any]:
        @functools.wraps(self._build)
        def run(*args: P.args, **kwargs: P.kwargs) -> Any:
            return client.run(self._build(*args, **kwargs))

        return run


class ListMethod(Generic[P, T, PageT]):
    """A call for a list as a method of a client."""

    def __init__(self, build: Callable[P, ListCall[T, PageT]]) -> None:
        self._build = build

    @overload
    def __get__(self, client: Runs, owner: type) -> Callable[P, Listing[T, PageT]]: ...

    @overload
    def __get__(self, client: RunsLater, owner: type) -> Callable[P, AsyncListing[T, PageT]]: ...

    def __get__(self, client: Any, owner: type) -> Callable[P, Any]:
        kind: Any = AsyncListing if client.later else Listing

        @functools.wraps(self._build)
        def run(*args: P.args, **kwargs: P.kwargs) -> Any:
            return kind(client.run, self._build(*args, **kwargs))

        return run


class Calls:
    """All calls of the API; `later` tells whether they have to be awaited."""

    later = False

    health = Method(_calls.health)
    sign_in = Method(_calls.sign_in)
    session = Method(_calls.session)
    renew_token = Method(_calls.renew_token)
    here = Method(_calls.here)
    measure = Method(_calls.measure)
    start_scan = Method(_calls.start_scan)
    scan = Method(_calls.scan)
    scans = ListMethod(_calls.scans)
    stop_scan = Method(_calls.stop_scan)
    results = ListMethod(_calls.results)
    devices = ListMethod(_calls.devices)
    device = Method(_calls.device)
    edit_device = Method(_calls.edit_device)
    edit_devices = Method(_calls.edit_devices)
    add_device = Method(_calls.add_device)
    replace_device = Method(_calls.replace_device)
    reviews = ListMethod(_calls.reviews)
    reviewed = Method(_calls.reviewed)
    retire_device = Method(_calls.retire_device)
    join_devices = Method(_calls.join_devices)
    split_device = Method(_calls.split_device)
    changes = ListMethod(_calls.changes)
    undo = Method(_calls.undo)
    find = Method(_calls.find)
    explain = Method(_calls.explain)
    vendor = Method(_calls.vendor)
    own_prefixes = ListMethod(_calls.own_prefixes)
    set_own_prefix = Method(_calls.set_own_prefix)
    load_vendors = Method(_calls.load_vendors)
    ranges = ListMethod(_calls.ranges)
    name_range = Method(_calls.name_range)
    forget_range = Method(_calls.forget_range)
    subnets = ListMethod(_calls.subnets)
    ruler = Method(_calls.ruler)

    sites = ListMethod(_plan_calls.sites)
    add_site = Method(_plan_calls.add_site)
    edit_site = Method(_plan_calls.edit_site)
    remove_site = Method(_plan_calls.remove_site)
    planned_subnets = ListMethod(_plan_calls.planned_subnets)
    planned_subnet = Method(_plan_calls.planned_subnet)
    add_subnet = Method(_plan_calls.add_subnet)
    draft_subnet = Method(_plan_calls.draft_subnet)
    edit_subnet = Method(_plan_calls.edit_subnet)
    remove_subnet = Method(_plan_calls.remove_subnet)
    split_subnet = Method(_plan_calls.split_subnet)
    join_subnets = Method(_plan_calls.join_subnets)
    bands = ListMethod(_plan_calls.bands)
    band = Method(_plan_calls.band)
    add_band = Method(_plan_calls.add_band)
    draft_band = Method(_plan_calls.draft_band)
    edit_band = Method(_plan_calls.edit_band)
    remove_band = Method(_plan_calls.remove_band)
    plan_problems = ListMethod(_plan_calls.plan_problems)
    role_rules = ListMethod(_plan_calls.role_rules)
    set_role_rule = Method(_plan_calls.set_role_rule)
    forget_role_rule = Method(_plan_calls.forget_role_rule)
    assignments = ListMethod(_plan_calls.assignments)
    assignment = Method(_plan_calls.assignment)
    assign = Method(_plan_calls.assign)
    edit_assignment = Method(_plan_calls.edit_assignment)
    move_assignment = Method(_plan_calls.move_assignment)
    release = Method(_plan_calls.release)
    uses = ListMethod(_plan_calls.uses)
    add_use = Method(_plan_calls.add_use)
    finish_use = Method(_plan_calls.finish_use)
    remove_use = Method(_plan_calls.remove_use)
    free = Method(_plan_calls.free)
    prove = Method(_plan_calls.prove)
    settle = Method(_plan_calls.settle)
    dhcp_servers = ListMethod(_plan_calls.dhcp_servers)
    dhcp_allowed = ListMethod(_plan_calls.dhcp_allowed)
    add_dhcp_server = Method(_plan_calls.add_dhcp_server)
    edit_dhcp_server = Method(_plan_calls.edit_dhcp_server)
    remove_dhcp_server = Method(_plan_calls.remove_dhcp_server)
    dhcp_preview = Method(_plan_calls.dhcp_preview)
    dhcp_publish = Method(_plan_calls.dhcp_publish)
    dhcp_adopt = Method(_plan_calls.dhcp_adopt)
    dhcp_read = Method(_plan_calls.dhcp_read)
    dhcp_holdings = ListMethod(_plan_calls.dhcp_holdings)
    dhcp_sheet = Method(_plan_calls.dhcp_sheet)
    dhcp_look = Method(_plan_calls.dhcp_look)
    renewal = Method(_plan_calls.renewal)
    end_lease = Method(_plan_calls.end_lease)
    dhcp_leases = ListMethod(_plan_calls.dhcp_leases)
    dhcp_pools = ListMethod(_plan_calls.dhcp_pools)
    dhcp_export = Method(_plan_calls.dhcp_export)
    import_sheet = Method(_plan_calls.import_sheet)
    export_sheet = Method(_plan_calls.export_sheet)
    names_text = Method(_plan_calls.names_text)
    check_names = Method(_plan_calls.check_names)
    card = Method(_plan_calls.card)

    findings = ListMethod(_watch_calls.findings)
    finding_kinds = ListMethod(_watch_calls.finding_kinds)
    finding = Method(_watch_calls.finding)
    accept = Method(_watch_calls.accept)
    resume = Method(_watch_calls.resume)
    do_step = Method(_watch_calls.do_step)
    history = Method(_watch_calls.history)
    history_span = Method(_watch_calls.history_span)
    at = Method(_watch_calls.at)
    why = Method(_watch_calls.why)
    watches = ListMethod(_watch_calls.watches)
    watch = Method(_watch_calls.watch)
    edit_watch = Method(_watch_calls.edit_watch)
    listening = ListMethod(_watch_calls.listening)
    dhcp_ask = Method(_watch_calls.dhcp_ask)
    notice_routes = ListMethod(_watch_calls.notice_routes)
    add_notice_route = Method(_watch_calls.add_notice_route)
    edit_notice_route = Method(_watch_calls.edit_notice_route)
    remove_notice_route = Method(_watch_calls.remove_notice_route)
    test_notice_route = Method(_watch_calls.test_notice_route)
    keeping = Method(_watch_calls.keeping)
    edit_keeping = Method(_watch_calls.edit_keeping)
    fittings = ListMethod(_fitting_calls.fittings)
    fitting = Method(_fitting_calls.fitting)
    begin_fitting = Method(_fitting_calls.begin_fitting)
    begin_change_over = Method(_fitting_calls.begin_change_over)
    give_up_fitting = Method(_fitting_calls.give_up_fitting)
    lend = Method(_fitting_calls.lend)
    take_back = Method(_fitting_calls.take_back)
    answer_device = Method(_fitting_calls.answer_device)
    answer_no_more = Method(_fitting_calls.answer_no_more)
    record_fitting = Method(_fitting_calls.record_fitting)
    device_kinds = ListMethod(_fitting_calls.device_kinds)
    add_device_kind = Method(_fitting_calls.add_device_kind)
    edit_device_kind = Method(_fitting_calls.edit_device_kind)
    remove_device_kind = Method(_fitting_calls.remove_device_kind)
    kinds_out = Method(_fitting_calls.kinds_out)
    kinds_in = Method(_fitting_calls.kinds_in)
    wake = Method(_fitting_calls.wake)
    keep_wake_password = Method(_fitting_calls.keep_wake_password)
    wake_state = Method(_fitting_calls.wake_state)
    wakes = ListMethod(_fitting_calls.wakes)
    phone_sign_in = Method(_fitting_calls.phone_sign_in)
    cartons = ListMethod(_fitting_calls.cartons)
    power_carton = Method(_fitting_calls.power_carton)
    type_into_carton = Method(_fitting_calls.type_into_carton)
    credentials = ListMethod(_switch_calls.credentials)
    add_credential = Method(_switch_calls.add_credential)
    edit_credential = Method(_switch_calls.edit_credential)
    remove_credential = Method(_switch_calls.remove_credential)
    switches = ListMethod(_switch_calls.switches)
    switch = Method(_switch_calls.switch)
    add_switch = Method(_switch_calls.add_switch)
    search_switches = Method(_switch_calls.search_switches)
    edit_switch = Method(_switch_calls.edit_switch)
    remove_switch = Method(_switch_calls.remove_switch)
    read_switch_now = Method(_switch_calls.read_switch_now)
    read_switch = Method(_switch_calls.read_switch)
    switch_moments = Method(_switch_calls.switch_moments)
    switch_turns = ListMethod(_switch_calls.switch_turns)
    ports = ListMethod(_switch_calls.ports)
    port = Method(_switch_calls.port)
    edit_port = Method(_switch_calls.edit_port)
    where = Method(_switch_calls.where)
    port_labels = Method(_switch_calls.port_labels)
    pairs = ListMethod(_switch_calls.pairs)
    macs_without_address = ListMethod(_switch_calls.macs_without_address)
    enter_pairs = Method(_switch_calls.enter_pairs)
    clear_pairs = Method(_switch_calls.clear_pairs)
    remove_pair = Method(_switch_calls.remove_pair)
    cables = ListMethod(_fitting_calls.cables)
    pull_cable = Method(_fitting_calls.pull_cable)
    plug_cable = Method(_fitting_calls.plug_cable)
    links = ListMethod(_wiring_calls.links)
    wiring = Method(_wiring_calls.wiring)
    say_link = Method(_wiring_calls.say_link)
    forget_link = Method(_wiring_calls.forget_link)
    path = Method(_wiring_calls.path)
    path_turns = ListMethod(_wiring_calls.path_turns)
    wiring_map = Method(_wiring_calls.wiring_map)
    map_sheet = Method(_wiring_calls.map_sheet)
    place_switch = Method(_wiring_calls.place_switch)
    free_switch = Method(_wiring_calls.free_switch)
    wiring_moments = Method(_wiring_calls.wiring_moments)
    port_switching = Method(_wiring_calls.port_switching)
    order_port = Method(_wiring_calls.order_port)
    port_order = Method(_wiring_calls.port_order)
    port_orders = ListMethod(_wiring_calls.port_orders)
    chases = ListMethod(_wiring_calls.chases)
    chase = Method(_wiring_calls.chase)
    begin_chase = Method(_wiring_calls.begin_chase)
    edit_chase = Method(_wiring_calls.edit_chase)
    cable_found = Method(_wiring_calls.cable_found)
    remove_chase = Method(_wiring_calls.remove_chase)
    roll_calls = ListMethod(_watch_calls.roll_calls)
    roll_call = Method(_watch_calls.roll_call)
    add_roll_call = Method(_watch_calls.add_roll_call)
    edit_roll_call = Method(_watch_calls.edit_roll_call)
    remove_roll_call = Method(_watch_calls.remove_roll_call)
    call_lines = ListMethod(_watch_calls.call_lines)
    reply_times = Method(_watch_calls.reply_times)
    ask_roll_call = Method(_watch_calls.ask_roll_call)
