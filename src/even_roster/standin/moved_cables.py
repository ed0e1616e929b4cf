"""Pulling and plugging cables of a simulated site by hand, as a person at the rack does. Whoever is pulled is off the network."""

from __future__ import annotations

from dataclasses import dataclass

from .cabling import Cabling, Socket
from .site import Site


class CableError(Exception):
    """A cable that is not there, or a socket that is taken; the message says which."""


@dataclass(frozen=True, slots=True)
class Lead:
    """A cable with an end at a switch, or with one that hangs free: what is at its other end, and the socket of this one (None: it
    is pulled)."""

    called: str
    to_switch: bool
    socket: Socket | None


class Leads:
    """The cables of a site by what is at their other end."""

    def __init__(self, site: Site, cabling: Cabling) -> None:
        self._site, self._cabling = site, cabling

    def every(self) -> list[Lead]:
        """All cables, those to other switches first; of these each end is one."""
        found = [
            Lead(f"{other[0]} port {other[1]}", True, own)
            for cable in self._cabling.cables for own, other in ((cable.one, cable.other), (cable.other, cable.one))
        ]  # fmt: skip
        found += [Lead(called, True, None) for called in self._cabling.loose]
        hosts = {host.mac: host.label for host in self._site.hosts}
        found += [Lead(hosts[mac], False, socket) for mac, socket in self._cabling.sockets.items() if mac in hosts]
        return found + [Lead(label, False, None) for label in self._cabling.pulled]

    def pull(self, socket: Socket) -> None:
        """Pull what is plugged in there. Raises CableError."""
        if socket[0] not in self._cabling.switches:
            raise CableError(f"there is no switch {socket[0]!r} at this site")
        now = self._site.elapsed()
        with self._site.turn:
            gone = self._cabling.cut(socket, now)
            if gone is not None:
                other = gone.other if gone.one == socket else gone.one
                self._cabling.loose[f"{other[0]} port {other[1]}"] = other
                return
            here = [host for host in self._site.hosts if self._cabling.sockets.get(host.mac) == socket]
            if not here:
                raise CableError(f"nothing is plugged into port {socket[1]} of {socket[0]}")
            for host in here:
                self._cabling.pull(host.mac, now)
                self._cabling.pulled[host.label] = host
                host.mute = True

    def plug(self, called: str, socket: Socket) -> None:
        """Plug a free end in. Raises CableError."""
        wired = self._cabling.switches.get(socket[0])
        if wired is None or not 1 <= socket[1] <= wired.ports:
            raise CableError(f"there is no port {socket[1]} of {socket[0]!r} at this site")
        now = self._site.elapsed()
        with self._site.turn:
            if self._cabling.taken(socket) or socket in self._cabling.sockets.values():
                raise CableError(f"something is plugged into port {socket[1]} of {socket[0]} already")
            if called in self._cabling.loose:
                self._cabling.join(self._cabling.loose.pop(called), socket, now)
            elif called in self._cabling.pulled:
                host = self._cabling.pulled.pop(called)
                host.mute = False
                self._cabling.plug(host.mac, socket, now=now)
            else:
                raise CableError(f"no cable to {called!r} hangs free")
