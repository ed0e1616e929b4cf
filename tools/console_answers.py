"""Records what the service answers the console on the demo site, for the console's tests: `python -m tools.console_answers`.

Each read that a page makes is asked once of a demo with findings, devices, switches, a roll call, a fitting and a chase; long lists
are cut, so that the file can be read. A test holds the file against the API's description.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import httpx
from tests.support.patience import until
from tests.support.service import Service, demo

from even_roster.api.chases import ChaseNew
from even_roster.api.scans import ScanRequest
from even_roster.client import RosterError
from tools import screenshots

FILE = Path(__file__).resolve().parents[1] / "console" / "src" / "testing" / "answers.json"
MOST = 6
"""Items of a list that are kept."""
READS = (
    "here",
    "subnets",
    "findings?limit=2000",
    "findings/{finding}",
    "plan/subnets",
    "plan/subnets/10.44.10.0%2F24",
    "plan/problems",
    "sites",
    "roles",
    "assignments?limit=6",
    "uses",
    "devices?limit=6",
    "devices/positions?limit=6",
    "devices/{device}",
    "reviews",
    "dhcp/servers",
    "dhcp/pools",
    "dhcp/leases?limit=6",
    "dhcp/allowed",
    "dhcp/servers/1/holdings?limit=6",
    "scans",
    "scans/1",
    "scans/1/addresses?limit=6",
    "watches",
    "listening",
    "notices",
    "changes?limit=6",
    "calls",
    "calls/1/lines",
    "switches",
    "switches/{switch}",
    "switches/{switch}/moments",
    "switches/{switch}/turns?since=2000-01-01T00:00:00Z",
    "ports?limit=6",
    "ports/{port}",
    "port-orders",
    "credentials",
    "labels?switch={switch}",
    "pairs?limit=6",
    "pairs/without",
    "wiring/map",
    "wiring/moments",
    "links",
    "paths?begin=printer-1&end=light-desk",
    "chases",
    "chases/1",
    "demo/cables",
    "demo/cartons",
    "fittings",
    "fittings/1",
    "kinds",
    "cards/10.44.10.30",
    "ruler?range=10.44.20.0%2F24",
    "measure?range=10.44.20.0%2F24",
    "explain/10.44.20.41",
    "where/10.44.10.30",
    "history/span?subject=10.44.20.41",
    "reply-times/10.44.10.30",
    "find?text=printer",
    "bands",
)


def main() -> None:
    """Record all of them anew."""
    with demo(watch=True) as service:
        names = _prepare(service)
        token = json.loads((service.home / "service.json").read_text())["token"]
        with httpx.Client(base_url=service.url, headers={"Authorization": f"Bearer {token}"}, timeout=60) as web:
            told, refused = {}, []
            for read in READS:
                path = f"/api/v1/{read.format(**names)}"
                answer = web.get(path)
                if answer.status_code == 200:
                    told[unquote(path.partition("?")[0])] = _cut(answer.json())
                else:
                    refused.append(f"{path}: {answer.status_code} {answer.text}")
            if refused:
                raise SystemExit("\n".join(refused))
    FILE.parent.mkdir(exist_ok=True)
    FILE.write_text(json.dumps(told, indent=1, ensure_ascii=False) + "\n")


def _prepare(service: Service) -> dict[str, object]:
    """A site about which there is something to tell on every page; gives the numbers that paths name."""
    with service.client() as roster:
        screenshots.until_found(service)
        for target in ("10.44.20.0/24", "10.44.10.0/24"):
            scan = roster.start_scan(ScanRequest(targets=[target]))
            until(lambda scan=scan: roster.scan(scan.id).state != "running", "a scan does not end")  # type: ignore[misc]
        screenshots.give_names(service)
        screenshots.add_roll_call(service)
        roster.ask_roll_call(1)
        screenshots.begin_fitting(service)
        switch, _, port = screenshots.add_switches(service).partition("?open=port:")
        try:
            roster.begin_chase(ChaseNew(switches=["switch-office-1"]))
        except RosterError as error:
            raise SystemExit(f"no chase: {error}") from error
        finding = next(one.id for one in roster.findings() if one.kind == "duplicate-address")
        device = roster.device("10.44.10.30").device.id
    return {"switch": switch, "port": port, "finding": finding, "device": device}


def _cut(answer: Any) -> Any:
    """An answer with long lists of objects cut: what is left is the last page."""
    if isinstance(answer, dict):
        return {name: None if name == "next" else _cut(value) for name, value in answer.items()}
    if isinstance(answer, list):
        return [_cut(one) for one in (answer[:MOST] if answer and isinstance(answer[0], dict) else answer)]
    return answer


if __name__ == "__main__":
    main()
