"""`roster dhcp allow …`: writes what the service may reach into the host's file; no service is asked, who may write it decides."""

from __future__ import annotations

import argparse
import getpass
import sys
from pathlib import Path

from ..api.home import default_home
from ..api.host_file import HOST_FILE, HostFileError, Reach, allow
from ..dhcp.kind import SETTINGS, KindError
from ..dhcp.kinds import checked
from .common import bad_input
from .output import Out


def run(options: argparse.Namespace) -> int:
    """Write one server's settings."""
    out = Out(options.json)
    home = Path(options.home) if options.home else default_home()
    values = {name: value for name in SETTINGS if (value := getattr(options, name, None)) is not None}
    if options.ask_password:
        values["password"] = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    try:
        checked(options.kind, values)
        again = allow(home, Reach(options.name, options.kind, values))
    except (HostFileError, KindError) as error:
        raise bad_input(str(error)) from error
    if options.json:
        shown = {name: value for name, value in values.items() if name != "password"}
        out.json({"allowed": options.name, "kind": options.kind, "settings": shown, "file": str(home / HOST_FILE)})
    else:
        when = "as said now" if again else "from now on"
        out.say(f"The service may reach {options.name} ({options.kind}) {when}: {home / HOST_FILE}.")
        out.say(f"Manage it with: roster dhcp add {options.name}")
    return 0
