"""What is kept of roll calls beside what people enter: how their lines stood, so that a restart forgets nothing, and reply times
hour by hour. Both are gathered in memory and stored every KEEP_SECONDS, at every turn of a line, and at a stop."""

from __future__ import annotations

import threading
from collections.abc import Collection, Mapping

from ...core.address import Address
from ...core.reply_hours import SHOWN_HOURS, Tally, hour_of
from ...core.roll_call import Standing, State
from ...store import finding_records, reply_records, standing_records
from ...store.standing_records import Stood
from ..context import Context, now_ms

KEEP_SECONDS = 60.0
FORGOTTEN_MS = 3600 * 1000
"""After so long without a look nobody can say since when a line stands as it does."""
BEFORE = "as it was before the service was started anew; it was not asked since"


class RollsKept:
    """Reply times that are not stored yet, and when something was stored last."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._tallies: dict[tuple[Address, int], Tally] = {}
        self._stood: dict[int, dict[str, Stood]] = {}
        self._stored_at = context.monotonic()
        self._forgot = 0
        self._one_at_a_time = threading.Lock()

    def stood(self, call: int) -> dict[str, Standing]:
        """How the lines of a roll call stood when the service was stopped; nothing of what is too long ago."""
        now = now_ms()
        found: dict[str, Standing] = {}
        with self._context.database.read() as connection:
            for subject, one in standing_records.of_call(connection, call).items():
                standing = found[subject] = Standing(seen=one.seen)
                if 0 <= now - one.asked <= FORGOTTEN_MS and State(one.state) is not State.UNKNOWN:
                    standing.state, standing.since, standing.said = State(one.state), one.since, BEFORE
        return found

    def told_absent(self, call: int) -> set[str]:
        """Whom of a roll call the findings tell of as absent; they stay told for as long as they are silent."""
        prefix = f"{call} "
        with self._context.database.read() as connection:
            return {key.removeprefix(prefix) for key in finding_records.standing_keys(connection, "absent", prefix)}

    def looked(
        self, call: int, at: int, standings: Mapping[str, Standing], verdicts: Mapping[Address, bool],
        took: Mapping[Address, float], turned: bool,
    ) -> None:  # fmt: skip
        """All lines of a roll call were looked at: how they stand, who was here at which address, and after how many seconds it
        answered; `turned` where a line stands otherwise than before, which is stored at once."""
        hour = hour_of(at)
        with self._one_at_a_time:
            for address, here in verdicts.items():
                self._tallies.setdefault((address, hour), Tally()).looked(here, took.get(address))
            self._stood[call] = {
                subject: Stood(one.state.value, one.since, one.seen, at) for subject, one in standings.items()
            }
        if turned or self._context.monotonic() - self._stored_at >= KEEP_SECONDS:
            self.store()

    def gone(self, call: int) -> None:
        """A roll call is no more."""
        with self._one_at_a_time:
            self._stood[call] = {}
        self.store()

    def store(self) -> None:
        """Store what was gathered; on a full disk it is kept in memory and nothing is lost. Raises DiskFull."""
        with self._one_at_a_time:
            if not self._stood and not self._tallies:
                return
            hour = hour_of(now_ms())
            with self._context.database.write() as connection:
                for call, lines in self._stood.items():
                    standing_records.keep(connection, call, lines)
                reply_records.add(connection, self._context.plan.site_here, self._tallies)
                if hour != self._forgot:
                    reply_records.forget(connection, hour)
            self._stood, self._tallies, self._forgot = {}, {}, hour
            self._stored_at = self._context.monotonic()

    def last_hours(
        self, addresses: Collection[Address], now: int, hours: int = SHOWN_HOURS
    ) -> dict[Address, list[Tally]]:
        """The tallies of some addresses, an hour each, the latest last; empty ones where nobody looked."""
        first, wanted = hour_of(now) - hours + 1, set(addresses)
        with self._one_at_a_time, self._context.database.read() as connection:
            kept = reply_records.since(connection, self._context.plan.site_here, wanted, first)
            for (address, hour), fresh in self._tallies.items():
                if address in wanted and hour >= first:
                    kept.setdefault(address, {}).setdefault(hour, Tally()).add(fresh)
        return {
            address: [tallies.get(hour, Tally()) for hour in range(first, first + hours)]
            for address, tallies in kept.items()
        }
