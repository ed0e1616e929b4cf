"""What a kind of DHCP server is: its settings in the host's file, and how a server is made of them. No I/O."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .server import DhcpServer

SETTINGS = {
    "config": "its configuration file", "socket": "its control socket", "url": "its control URL, http:// or https://",
    "user": "who signs in at the control URL", "password": "that one's password",
    "ca": "the certificate to check the URL's by (PEM)",
    "certificate": "a certificate to sign in with (PEM)", "key": "the key of that certificate (PEM)", "leases": "its lease file",
    "hosts": "its file of reservations", "pid": "its pid file, to have it read again", "reload": "a command that has it read again",
    "partner": "the server that stands in for it, by its name here",
}  # fmt: skip
"""Every setting that a kind may use, and what it is."""
WORDS = {"url", "user", "password", "reload", "partner"}
"""Those that are no paths."""


class KindError(ValueError):
    """Settings are not what a kind needs; the message says which, and what would be right."""


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind: the settings it uses, of which it needs at least one of each group of `needs`. With `pool_options` single pools of
    a subnet may hand out other things."""

    name: str
    settings: tuple[str, ...]
    needs: tuple[tuple[str, ...], ...]
    build: Callable[[Mapping[str, str], str], DhcpServer]
    pool_options: bool = False

    def check(self, values: Mapping[str, str]) -> None:
        """Raises KindError."""
        for name, value in values.items():
            if name not in self.settings:
                raise KindError(
                    f"{name!r} is no setting of a {self.name} server; there are: {', '.join(self.settings)}"
                )
            if name not in WORDS and not value.startswith("/"):
                raise KindError(f"{name} is {value!r}, not a whole path; it begins with /")
            if name == "url" and not value.startswith(("http://", "https://")):
                raise KindError(f"url is {value!r}; it begins with https:// (or http://)")
        for group in self.needs:
            if not any(values.get(name) for name in group):
                raise KindError(f"a {self.name} server needs {' or '.join(group)}: {SETTINGS[group[0]]}")
