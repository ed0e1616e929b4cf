"""Scans without privileges on real links: through the kernel's neighbour table, which all namespaces share and a scan may fill."""

from __future__ import annotations

import unittest
from typing import Any

from tests.support.lab import Rights, namespace, needs_lab, tap_hosts, veth_hosts
from tests.test_real_network import QUICK, RealLink, answered

BESIDE = "shared: neighbour table"


@needs_lab
class Unprivileged(RealLink):
    def test_every_host_that_answers_arp_is_found_with_its_mac_and_the_limits_are_said(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/24", 200, "--no-echo"))
        told = self.scan(self.serving(Rights.NONE), *QUICK)
        self.assertEqual((told["scan"]["door"], len(answered(told))), ("kernel", 201))
        hosts = {a["address"]: a for a in told["items"]}
        self.assertEqual(
            (hosts["10.77.0.50"]["by"], hosts["10.77.0.50"]["claims"][0]["mac"]), (["neighbour"], "02:c0:f0:00:00:28")
        )
        self.assertIn("second MAC answering for one address cannot be seen", " ".join(told["scan"]["remarks"]))

    def test_a_range_larger_than_the_kernels_table_loses_nothing(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/21", 1150, "--no-echo"))
        # Entries go stale sooner than the usual half minute, so that the test need not wait for the kernel as long.
        for setting in ("base_reachable_time_ms=3000", "delay_first_probe_time=1"):
            self.inside.run("sysctl", "-q", "-w", f"net.ipv4.neigh.site0.{setting}")
        told = self.scan(self.serving(Rights.NONE), *QUICK)
        self.assertEqual(len(answered(told)), 1151)

    def test_echo_is_used_where_the_system_permits_it(self) -> None:
        self.enterContext(tap_hosts(self.inside, "10.77.0.2/26", 20))
        self.inside.run("sysctl", "-q", "-w", "net.ipv4.ping_group_range=0 2147483647")
        told = self.scan(self.serving(Rights.NONE), *QUICK)
        host = next(a for a in told["items"] if a["address"] == "10.77.0.12")
        self.assertEqual(host["by"], ["neighbour", "echo"])
        self.assertIsNotNone(host["rtt_ms"])

    def test_a_proof_through_the_systems_own_arp_is_a_look(self) -> None:
        far = self.enterContext(namespace())
        self.enterContext(veth_hosts(self.inside, far, "10.77.0.2/24", ["10.77.0.10/24", "10.77.0.50/24"]))
        running = self.serving(Rights.NONE)
        self.assertEqual(answered(self.scan(running, *QUICK)), {"10.77.0.2", "10.77.0.10", "10.77.0.50"})

        def proof(address: str) -> Any:
            return running.json("prove", address)

        def known() -> str:
            found: Any = running.json("at", "now", "10.77.0.50")
            return " ".join(found["sentences"])

        self.assertIn("probably held it", known())
        far.ip("address", "del", "10.77.0.50/24", "dev", "far0")
        self.inside.ip("neigh", "flush", "dev", "site0")
        self.assertIn("may only be off", " ".join(proof("10.77.0.50")["reasons"]))
        self.assertIn("it was silent when it was asked last", known(), "10.77.0.10 answered beside it")
        far.ip("address", "del", "10.77.0.10/24", "dev", "far0")
        self.inside.ip("neigh", "flush", "dev", "site0")
        told = proof("10.77.0.77")
        self.assertEqual(told["grade"], "doubtful")
        self.assertIn("no device answered on its link, not even at 10.77.0.", " ".join(told["reasons"]))


if __name__ == "__main__":
    unittest.main()
