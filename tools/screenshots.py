"""Takes the pictures of the docs anew from the demo site: console pages in Chromium, commands in a terminal window."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import time
from pathlib import Path

from selenium.webdriver.common.by import By
from tests.support.browser import browser, signed_in
from tests.support.lab import environment
from tests.support.patience import until
from tests.support.service import Service, demo

from even_roster.api.calling import RollCallNew
from even_roster.api.demo import TypedIn
from even_roster.api.fitting import DeviceKindNew, FittedView, FittingNew
from even_roster.api.switches import CredentialNew, PortEdit, SwitchSearch

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
DISPLAY = ":93"
TERMINALS = {
    "cli-scan": "roster scan 10.44.10.0/27; roster scan 10.44.20.40-43; echo; roster call --once; echo; roster fit show --once",
    "cli-findings": "roster finding --brief; echo; roster finding --kind unexpected-dhcp-server; echo; "
    "roster why 10.44.10.9; echo; roster at now 10.44.20.41",
    "cli-devices": "roster device --in 10.44.10.0/30; echo; roster switch; echo; roster where sound-desk; echo; "
    "roster path printer-1 02:c0:2a:00:00:36; echo; roster link --of switch-stage-1",
    "cli-lookup": "roster find 'box off'; echo; roster explain 10.44.20.41; echo; roster vendor show 02C0.4400.0026; echo; "
    "roster measure 10.44.64.0/22",
    "cli-plan": "roster subnet; echo; roster free Office --role printer; echo; roster prove 10.44.20.120; echo; "
    "roster subnet check; echo; roster move dimmer-rack-2 10.44.20.43; echo; roster card 10.44.20.120 --snippet networkd",
    "cli-dhcp": "roster dhcp add box-router --by-hand --address 10.44.10.12 >/dev/null; "
    "roster band set 10.44.10.100-10.44.10.199 --by box-router >/dev/null; roster dhcp publish box-router --yes >/dev/null; "
    "roster dhcp; echo; roster dhcp sheet box-router --look; echo; roster dhcp renewal 10.44.10.181; echo; "
    "roster dhcp pools",
}


def main() -> None:
    """All pictures, or those named."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    wanted = set(sys.argv[1:])
    with demo(watch=True) as service:
        console(service, wanted)
        for name, commands in TERMINALS.items():
            if not wanted or name in wanted:
                terminal(service, name, commands)


def console(service: Service, wanted: set[str]) -> None:
    """The console's pages, in the order of a first day."""
    with browser() as driver:

        def shot(name: str, wait: float = 0.8) -> None:
            time.sleep(wait)
            if not wanted or name in wanted:
                driver.save_screenshot(str(FOLDER / f"{name}.png"))

        signed_in(driver, service.sign_in)
        until_found(service)
        driver.get(f"{service.url}/?open=address:10.44.10.30")
        time.sleep(1.0)
        driver.find_element(By.CSS_SELECTOR, "button[type=submit]").click()
        shot("console-scan", 0.9)
        time.sleep(2)
        give_names(service)
        until_found(service)
        driver.get(f"{service.url}/?open=finding:{_rogue(service)}")
        shot("console-attention", 1.8)
        driver.get(f"{service.url}/watch")
        shot("console-watch", 3.0)
        add_roll_call(service)
        driver.get(f"{service.url}/calls")
        shot("console-calls", 14.0)
        device = next(iter(service.client().devices(q="Box office printer")))
        driver.get(f"{service.url}/devices?open=device:{device.id}")
        shot("console-devices", 1.5)
        driver.get(f"{service.url}/subnets/10.44.20.0/24?open=address:10.44.20.41")
        shot("console-subnet", 1.5)
        driver.get(f"{service.url}/plan")
        shot("console-plan", 1.2)
        driver.get(f"{service.url}/fittings/{begin_fitting(service)}")
        shot("console-fitting", 1.5)
        service.roster("reserve", "02:c0:9f:ae:00:79", "10.44.10.183", "--name", "portable-guest", "--role", "portable")
        driver.get(f"{service.url}/dhcp")
        time.sleep(0.8)
        driver.find_element(By.XPATH, "//button[contains(., 'Compare')]").click()
        shot("console-dhcp", 1.2)
        driver.get(f"{service.url}/switches/{add_switches(service)}")
        shot("console-ports", 2.5)
        driver.get(f"{service.url}/wiring?begin=printer-1&end=02:c0:2a:00:00:36")
        shot("console-wiring", 2.5)
        driver.get(f"{service.url}/changes")
        shot("console-changes", 1.2)
        driver.find_element(By.CSS_SELECTOR, "button[aria-label='Dark colours']").click()
        driver.get(f"{service.url}/addresses?subnet=1&open=address:10.44.10.181")
        shot("console-addresses", 1.5)


def until_found(service: Service) -> None:
    """Until the service has found what is quickly found."""
    wanted = {"duplicate-address", "unexpected-dhcp-server", "assignment-not-in-effect", "foreign-address"}
    with service.client() as roster:
        for _ in range(300):
            busy = any(scan.state == "running" for scan in roster.scans())
            known = roster.explain("10.44.10.30").devices and roster.explain("10.44.64.1").stays
            if wanted <= {one.kind for one in roster.findings()} and known and not busy:
                return
            time.sleep(0.2)


def add_roll_call(service: Service) -> None:
    """A list that somebody goes through before the doors open."""
    lines = (
        "printer-1, box office, left of the door\n10.44.20.41\n10.44.10.99, spare till\n02:c0:61:00:00:17, phone 201\n"
        "10.44.30.1, foyer gate\n10.44.64.1, guests' gate\nledger\nlight-desk\nposter-press, not unpacked yet\n"
    )
    with service.client() as roster:
        roster.add_roll_call(RollCallNew(name="Before the doors open", every_seconds=5, text=lines))


def add_switches(service: Service) -> str:
    """All switches of the site, what people say of a few ports; the page of one with a port open."""
    with service.client() as roster:
        roster.add_credential(CredentialNew(name="larkspur", snmp="2c", community="larkspur"))
        roster.add_credential(
            CredentialNew(
                name="usher", user="usher", auth="sha256", auth_password="limelight-one", privacy="aes128",
                privacy_password="limelight-two",
            )
        )  # fmt: skip
        roster.search_switches(SwitchSearch(within="10.44.0.0/16"))
        ports = {port.name: port for port in roster.ports("switch-office-1")}
        roster.edit_port(ports["17"].id, PortEdit(notes="counter 1, desk side"))
        roster.edit_port(ports["20"].id, PortEdit(mark="spare"))
        roster.edit_port(ports["5"].id, PortEdit(notes="bookings"))
        return f"{ports['5'].switch.id}?open=port:{ports['5'].id}"


def _rogue(service: Service) -> int:
    with service.client() as roster:
        return next(one.id for one in roster.findings() if one.kind == "unexpected-dhcp-server")


def give_names(service: Service) -> None:
    """A few names and roles, as somebody would have given them."""
    for address, fields in {
        "10.44.10.30": {"name": "Box office printer", "role": "printer", "owner": "Box office", "place": "Counter 2"},
        "10.44.10.12": {"name": "Accounts store", "role": "storage", "owner": "Administration", "place": "Rack 1"},
        "10.44.10.1": {"name": "Office gate", "role": "network", "place": "Rack 1"},
        "10.44.20.30": {"name": "Lighting desk", "role": "control", "owner": "Lighting"},
    }.items():
        device = service.client().device(address).device
        service.json(
            "device", "set", str(device.id), *(word for name, text in fields.items() for word in (f"--{name}", text))
        )


def begin_fitting(service: Service) -> int:
    """A printer that forgot what was typed in once, and is at its factory address again."""
    with service.client() as roster:
        roster.add_device_kind(
            DeviceKindNew(name="Quillmark Q20", factory="192.168.50.10/24", page="/setup", store="press Store on the last page",
                          role="printer")
        )  # fmt: skip
        new = FittingNew(macs=["02:c0:44:0c:00:02"], kind="Quillmark Q20", name="printer-{n}", where="Office")
        fitting = roster.begin_fitting(new).id

        def at(step: str) -> FittedView:
            until(lambda: roster.fitting(fitting).devices[0].step == step, f"the printer does not come to {step}")
            return roster.fitting(fitting).devices[0]

        roster.power_carton("printer-forgetful", True)
        roster.type_into_carton("printer-forgetful", TypedIn(address=at("type").address or ""))
        at("keep")
        roster.power_carton("printer-forgetful", False)
        until(lambda: roster.fitting(fitting).devices[0].went_at is not None, "the printer is not seen going")
        roster.power_carton("printer-forgetful", True)
        at("type")
        return fitting


def terminal(service: Service, name: str, commands: str) -> None:
    """A terminal window with commands typed into it."""
    shell = "; ".join(
        f"printf '\\033[1m$ %s\\033[0m\\n' {shlex.quote(c)}; {c}" if c != "echo" else c for c in commands.split("; ")
    )
    roster = f"{shlex.quote(sys.executable)} -m even_roster.cli.main --home {shlex.quote(str(service.home))}"
    done = service.home / f"{name}.done"
    script = f'roster() {{ {roster} "$@"; }}; clear; {shell}; touch {shlex.quote(str(done))}; sleep 600'
    server = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(0.7)
    look = [
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "9.5",
        "-bg",
        "#fdfbf6",
        "-fg",
        "#23211c",
        "-geometry",
        "157x46+0+0",
        "-b",
        "8",
    ]
    xterm = subprocess.Popen(
        ["xterm", *look, "-e", "bash", "-c", script], env={**environment(), "DISPLAY": DISPLAY, "LANG": "C.UTF-8"}
    )
    try:
        until(done.exists, f"the commands of {name} do not end")
        time.sleep(1)  # until the window shows it
        subprocess.run(
            ["import", "-window", "root", str(FOLDER / f"{name}.png")],
            env={**os.environ, "DISPLAY": DISPLAY},
            check=True,
        )
    finally:
        for process in (xterm, server):
            process.terminate()
            process.wait()


if __name__ == "__main__":
    main()
