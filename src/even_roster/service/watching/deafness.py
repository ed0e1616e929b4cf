"""Keeps when nothing could be learnt: while the service did not run, while a link of this machine was down, while nothing was
listened to or frames were lost, and where the clock was set.

A beat every few seconds bounds how long ago the service was alive; what ends it without a stop is known to that. Every end of a
deaf time is as certain as the beats beside it."""

from __future__ import annotations

import asyncio
import contextlib
import logging

from ...core.past.deaf import Deafness, DeafTime
from ...store import look_records
from ..aids.repeating import attempt
from ..context import Context, now_ms
from .listening import Listening

_log = logging.getLogger(__name__)
BEAT_SECONDS = 5.0
STEP_MS = 2_000
"""How far the wall clock may run ahead of the steady one, or behind, within one beat without having been set."""


class DeafTimes:
    """The deaf times of one service, from its start to its stop."""

    def __init__(self, context: Context, listening: Listening) -> None:
        self._context, self._listening = context, listening
        self._going_on: dict[tuple[Deafness, str], int] = {}
        self._linked: dict[str, int] = {}
        self._heard: dict[str, int] = {}
        self._last: tuple[int, int] | None = None
        self._task: asyncio.Task[None] | None = None

    async def begin(self) -> None:
        """Enter how long the service did not run, and beat from now on. Called before anything is looked at."""
        await attempt(self._woke, "how long the service did not run could not be kept")
        self._task = asyncio.create_task(self._beat_on(), name="heartbeat")

    def _woke(self) -> None:
        now = now_ms()
        with self._context.database.write() as connection:
            before = look_records.alive(connection)
            if before is not None:
                at, stopped = before
                look_records.end_all_deaf(connection, min(at, now))
                if now > at:
                    why = Deafness.STOPPED if stopped else Deafness.KILLED
                    look_records.begin_deaf(connection, DeafTime(why, "", at, now))
                elif at - now > STEP_MS:
                    look_records.begin_deaf(connection, DeafTime(Deafness.CLOCK_BACK, "", now, at))
            look_records.beat(connection, now)

    async def close(self) -> None:
        """The service is stopped in order."""
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
            await attempt(self._stopped, "that the service was stopped could not be kept")

    def _stopped(self) -> None:
        with self._context.database.write() as connection:
            look_records.beat(connection, now_ms(), stopped=True)

    async def _beat_on(self) -> None:
        while True:
            await attempt(self.beat, "that the service is alive could not be kept")
            await asyncio.sleep(BEAT_SECONDS)

    def beat(self) -> None:
        """One beat: what began to be deaf since the last one, what is so still, and what is over."""
        now, steady = now_ms(), self._context.steady_ms()
        deaf = self._links(now) | self._ears(now)
        over = [key for key in self._going_on if key not in deaf]
        begun: dict[tuple[Deafness, str], int] = {}
        with self._context.database.write() as connection:
            for (why, adapter), first in deaf.items():
                if (why, adapter) not in self._going_on:
                    one = DeafTime(why, adapter, first, 0)
                    begun[why, adapter] = look_records.begin_deaf(connection, one)
            for key in over:
                look_records.end_deaf(connection, self._going_on[key], now)
            if self._last is not None:
                step = (now - self._last[0]) - (steady - self._last[1])
                if abs(step) > STEP_MS:
                    why = Deafness.CLOCK_FORWARD if step > 0 else Deafness.CLOCK_BACK
                    first = self._last[0] if step > 0 else now
                    look_records.begin_deaf(connection, DeafTime(why, "", first, first + abs(step)))
            look_records.beat(connection, now)
        self._going_on = {key: one for key, one in (self._going_on | begun).items() if key not in over}
        self._last = now, steady

    def _links(self, now: int) -> dict[tuple[Deafness, str], int]:
        """The links that are down, each with when it was up last."""
        up = {a.name for a in self._context.machine.adapters() if a.up and a.addresses and a.medium != "loopback"}
        for name in up:
            self._linked[name] = now
        return {(Deafness.LINK_DOWN, name): at for name, at in self._linked.items() if name not in up}

    def _ears(self, now: int) -> dict[tuple[Deafness, str], int]:
        """The links that are not listened on any more, or on which frames were lost since the last beat."""
        ears = set(self._listening.listening())
        for name in ears:
            self._heard[name] = now
        deaf = {(Deafness.NOT_LISTENING, name): at for name, at in self._heard.items() if name not in ears}
        since = self._last[0] if self._last is not None else now
        for name, heard in list(self._listening.heard.items()):
            if heard.storm_at is not None and heard.storm_at >= since:
                deaf[Deafness.FRAMES_LOST, name] = heard.storm_at
        return deaf
