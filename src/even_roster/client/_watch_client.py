"""The methods of findings, history and watching, for both clients. A test asserts that both offer the same."""

from __future__ import annotations

from . import _watch_calls as calls
from ._descriptors import Async, Sync


class WatchCalls:
    """The calls of findings and watching, blocking."""

    findings = Sync(calls.findings)
    finding_kinds = Sync(calls.finding_kinds)
    finding = Sync(calls.finding)
    accept = Sync(calls.accept)
    resume = Sync(calls.resume)
    do_step = Sync(calls.do_step)
    history = Sync(calls.history)
    history_span = Sync(calls.history_span)
    at = Sync(calls.at)
    why = Sync(calls.why)
    watches = Sync(calls.watches)
    edit_watch = Sync(calls.edit_watch)
    listening = Sync(calls.listening)
    dhcp_ask = Sync(calls.dhcp_ask)
    notice_routes = Sync(calls.notice_routes)
    add_notice_route = Sync(calls.add_notice_route)
    edit_notice_route = Sync(calls.edit_notice_route)
    remove_notice_route = Sync(calls.remove_notice_route)
    test_notice_route = Sync(calls.test_notice_route)
    keeping = Sync(calls.keeping)
    edit_keeping = Sync(calls.edit_keeping)


class AsyncWatchCalls:
    """The calls of findings and watching, to be awaited."""

    findings = Async(calls.findings)
    finding_kinds = Async(calls.finding_kinds)
    finding = Async(calls.finding)
    accept = Async(calls.accept)
    resume = Async(calls.resume)
    do_step = Async(calls.do_step)
    history = Async(calls.history)
    history_span = Async(calls.history_span)
    at = Async(calls.at)
    why = Async(calls.why)
    watches = Async(calls.watches)
    edit_watch = Async(calls.edit_watch)
    listening = Async(calls.listening)
    dhcp_ask = Async(calls.dhcp_ask)
    notice_routes = Async(calls.notice_routes)
    add_notice_route = Async(calls.add_notice_route)
    edit_notice_route = Async(calls.edit_notice_route)
    remove_notice_route = Async(calls.remove_notice_route)
    test_notice_route = Async(calls.test_notice_route)
    keeping = Async(calls.keeping)
    edit_keeping = Async(calls.edit_keeping)
