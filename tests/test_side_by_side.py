"""Nothing that the service does stops anything else that it does at the same time."""

from __future__ import annotations

import itertools
import threading
import unittest
from collections.abc import Callable

from even_roster.api.plan import AssignmentEdit
from even_roster.service import planning
from tests.support.days import Days, days, hall, prepared

ROUNDS = 60
PATIENCE = 60.0


class LeasesBesideEdits(unittest.TestCase):
    def test_reading_leases_and_editing_the_plan_do_not_wait_for_each_other(self) -> None:
        with days(hall, prepared) as site:
            server = next(iter(site.context.findings.world.planned_servers))
            item = next(iter(site.context.plan.plan.assignments.values()))
            notes = itertools.count()

            def read() -> None:
                site.clock.sleep(1.0)  # leases are renewed meanwhile, so that there is something to store
                with site.context.database.write() as connection:
                    connection.exec_driver_sql("DELETE FROM leases")
                site.dhcp.read_leases(server)

            def edit() -> None:
                request = AssignmentEdit(note=f"note {next(notes)}")
                site.context.plan.edit("a hand", planning.edit_assignment(item.id, request))

            self.side_by_side(site, read, edit)

    def side_by_side(self, site: Days, *work: Callable[[], None]) -> None:
        """Do every piece of work ROUNDS times, all at once; none may fail or stand still."""
        failed: list[BaseException] = []

        def over_and_over(one: Callable[[], None]) -> None:
            try:
                for _ in range(ROUNDS):
                    one()
            except BaseException as error:
                failed.append(error)

        threads = [threading.Thread(target=over_and_over, args=(one,), daemon=True) for one in work]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE)
        self.assertEqual([thread.name for thread in threads if thread.is_alive()], [], "somebody stands still")
        self.assertEqual(failed, [])


if __name__ == "__main__":
    unittest.main()
