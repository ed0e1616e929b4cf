"""`roster serve`, `roster demo`, `roster console`: start a service, or get a sign-in for one that runs.

The only module of the command line that knows the service itself.
"""

from __future__ import annotations

import argparse
import logging
import os
import shlex
import sys
import webbrowser
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..api.home import default_home
from .common import connect
from .grammar import Noun, verb
from .output import Out, ago, error

DEMO_LISTEN = "127.0.0.1:7420"


def add_commands(commands: Any, shared: argparse.ArgumentParser) -> None:
    """Add this module's commands."""
    serve = verb(commands, shared, "serve", _serve, json=False)
    serve.add_argument(
        "--listen", metavar="HOST:PORT", help="where the console and the API are (default 127.0.0.1:7420)"
    )
    serve.add_argument("--adapter", metavar="NAME", help="the adapter to scan from when none is named")
    serve.add_argument("--tls-certificate", metavar="FILE", help="needed to listen beyond this machine")
    serve.add_argument("--tls-key", metavar="FILE", help="the certificate's key")
    serve.add_argument(
        "--own-certificate",
        action="store_true",
        help="listen beyond this machine with a certificate the service makes itself",
    )
    serve.add_argument(
        "--plain-http-risk",
        action="store_true",
        help="listen beyond this machine without TLS: anybody on the way can read",
    )
    serve.add_argument("--no-watch", action="store_true", help="do nothing by itself: no schedules, no listening")
    _new_key(serve)
    serve.add_argument("--verbose", action="store_true", help="log every request")
    demo = verb(commands, shared, "demo", _demo, json=False)
    demo.add_argument("--listen", metavar="HOST:PORT", default=DEMO_LISTEN, help=f"default {DEMO_LISTEN}")
    demo.add_argument("--hosts", metavar="N", type=int, help="a generated site of this many hosts instead")
    demo.add_argument(
        "--switches", metavar="N", type=int, help="with --hosts: they hang on this many switches of 48 ports"
    )
    demo.add_argument(
        "--own-certificate",
        action="store_true",
        help="listen beyond this machine with a certificate the service makes itself",
    )
    demo.add_argument("--no-open", action="store_true", help="do not open a browser")
    demo.add_argument("--no-watch", action="store_true", help="do nothing by itself: no schedules, no listening")
    _new_key(demo)
    demo.add_argument("--verbose", action="store_true", help="log every request")
    console = verb(commands, shared, "console", _console)
    console.add_argument("--phone", action="store_true", help="for a phone: an address it reaches, and a QR code of it")
    token = Noun(commands, shared, "token", _token)
    renew = token.verb("renew", "end every sign-in: another token, and browsers sign in again", _renew, "--yes")
    renew.add_argument("--yes", action="store_true", help="do it; without, it is told what would happen")


def _new_key(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--new-key", action="store_true", help="make another secret.key where it is lost or cannot be used, once"
    )


def _serve(options: argparse.Namespace) -> int:
    from ..probe.machine import RealMachine

    given = {
        "home": Path(options.home) if options.home else None, "listen": options.listen, "adapter": options.adapter,
        "tls_certificate": options.tls_certificate, "tls_key": options.tls_key,
        "plain_http_risk": options.plain_http_risk or None, "own_certificate": options.own_certificate or None,
        "watch": False if options.no_watch else None, "new_key": options.new_key or None,
    }  # fmt: skip
    machine = RealMachine()
    if options.adapter and options.adapter not in {adapter.name for adapter in machine.adapters()}:
        there = ", ".join(adapter.name for adapter in machine.adapters() if adapter.addresses)
        error(f"there is no adapter {options.adapter!r} here; there are: {there}")
        return 2
    return _run(given, machine, options.verbose, None, browser=False)


def _demo(options: argparse.Namespace) -> int:
    from ..service.context import Context
    from ..standin import generated_cabling, generator, larkspur
    from ..standin.segment import StandinMachine

    if options.hosts is not None and not generator.FEWEST <= options.hosts <= generator.MOST:
        error(f"a generated site has {generator.FEWEST} to {generator.MOST:,} hosts; {options.hosts} does not fit")
        return 2
    if options.switches is not None and (options.hosts is None or not 0 < options.switches <= generated_cabling.MOST):
        error(f"a generated site ('--hosts N') has 1 to {generated_cabling.MOST} switches")
        return 2
    site = larkspur.build() if options.hosts is None else generator.generate(options.hosts)
    if options.switches is not None:
        generated_cabling.cable(site, options.switches)
    home = Path(options.home) if options.home else default_home().with_name("even-roster-demo")

    def prepare(context: Context) -> None:
        from ..service.demo.larkspur_plan import plan_larkspur
        from ..service.demo.site_setup import give_prefixes

        give_prefixes(context, larkspur.VENDORS.values())
        if options.hosts is None:
            plan_larkspur(context, site)

    given = {
        "home": home,
        "listen": options.listen,
        "watch": not options.no_watch,
        "eager": True,
        "own_certificate": options.own_certificate,
        "new_key": options.new_key,
    }
    return _run(given, StandinMachine(site), options.verbose, prepare, browser=not options.no_open, site=site.name)


def _run(
    given: dict[str, Any], machine: Any, verbose: bool, prepare: Callable[[Any], None] | None, *, browser: bool,
    site: str | None = None,
) -> int:  # fmt: skip
    from pydantic import ValidationError

    from ..service.run import serve
    from ..service.settings import Settings, SettingsError
    from ..store.database import StoreError

    logging.basicConfig(
        level=logging.INFO if verbose else logging.WARNING, stream=sys.stderr,
        format="%(asctime)s %(levelname)s %(name)s %(message)s",
    )  # fmt: skip
    out = Out(False)

    def announce(url: str, sign_in: Callable[[], str], fingerprint: str) -> None:
        what = f"the simulated site: {site}" if site else "this machine's own network"
        out.say(f"Even Roster runs on {what}.", "bold")
        # What is written into a log or a pipe is read by others later: there it says how to get a sign-in.
        live = sys.stdout.isatty()
        mine = f"roster --home {shlex.quote(str(settings.home))}"
        console = sign_in() if live else f"{mine} console"
        how = "good once, for 15 minutes; 'roster console' gives another" if live else "prints a sign-in for a browser"
        out.facts(
            [
                ("console", console), ("", f"({how})"), ("API", url),
                ("certificate", fingerprint and f"its own, SHA-256 {fingerprint}"),
                ("home", str(settings.home)), ("command line", f"{mine} scan"),
                ("stop", "Ctrl-C"),
            ]
        )  # fmt: skip
        sys.stdout.flush()
        if browser and _has_screen():
            webbrowser.open(sign_in())

    try:
        settings = Settings(**{name: value for name, value in given.items() if value is not None})
        serve(settings, machine, announce, prepare)
    except (SettingsError, StoreError, ValidationError, OSError) as bad:
        error(str(bad))
        return 2
    return 0


def _has_screen() -> bool:
    """Without a screen, opening a browser would start a text browser over this very terminal."""
    return sys.platform in ("darwin", "win32") or bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def _console(options: argparse.Namespace) -> int:
    out = Out(options.json)
    if options.phone:
        return _phone(options, out)
    with connect(options) as roster:
        url = f"{roster.place.url}{roster.sign_in().path}"
    if options.json:
        out.json({"url": url})
    else:
        out.say(url)
    return 0


def _token(options: argparse.Namespace) -> int:
    """Print who is signed in and when the token was last renewed; never the token itself."""
    out = Out(options.json)
    with connect(options) as roster:
        found, url = roster.session(), roster.place.url
    if out.as_json:
        out.json(found)
        return 0
    out.facts(
        [("service", url), ("signed in as", found.who), ("renewed", ago(found.renewed) if found.renewed else "never")]
    )
    return 0


def _renew(options: argparse.Namespace) -> int:
    """End every sign-in; without --yes only tell."""
    out = Out(options.json)
    if not options.yes:
        if out.as_json:
            out.json({"renewed": False})
        else:
            out.say(
                "Nothing was changed. With --yes every browser is signed out, and programs that were given the token need the "
                "new one. Stored passwords stay."
            )
        return 1
    with connect(options) as roster:
        found = roster.renew_token()
    if out.as_json:
        out.json(found)
    else:
        out.say(
            "The token is another one, in the service's home folder, and nobody is signed in any more. "
            "'roster console' gives a sign-in."
        )
    return 0


def _phone(options: argparse.Namespace, out: Out) -> int:
    """A sign-in for a phone, with a code that its camera reads."""
    with connect(options) as roster:
        one = roster.phone_sign_in()
    if out.as_json:
        out.json(one)
        return 0 if one.url else 1
    if not one.url:
        error(one.why_not)
        return 1
    import segno

    segno.make(one.url, error="m").terminal(out=sys.stdout, compact=True, border=2)
    out.say(one.url)
    out.say(
        "Good once, for 15 minutes. The browser does not know the service's certificate; its fingerprint (SHA-256) is:"
    )
    out.say(one.fingerprint)
    return 0
