"""What setting an object of a simulated switch does: its ports and their power go off and on (ifAdminStatus, RFC 2863;
pethPsePortAdminEnable, RFC 3621)."""

from __future__ import annotations

from ..wire.snmp import Error, Type, Variable
from .cabling import Cabling, Wired
from .site import Site
from .snmp_responder import Write
from .switches import INDEX

_ADMIN, _POWER = (1, 3, 6, 1, 2, 1, 2, 2, 1, 7), (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 3, 1)
_ON, _OFF = 1, 2


def switching(site: Site, cabling: Cabling, wired: Wired) -> Write:
    """What setting does at a switch. Who hangs on a port that is off is off the network; who is fed over it has no power."""

    def write(one: Variable) -> Error:
        if one.type is not Type.INTEGER or one.value not in (_ON, _OFF):
            return Error.WRONG_VALUE
        if one.oid[:-1] == _ADMIN and 1 <= (port := one.oid[-1] - INDEX) <= wired.ports:
            gone = wired.off
        elif one.oid[:-1] == _POWER and (port := one.oid[-1]) in wired.powers:
            gone = wired.unpowered
        else:
            return Error.NOT_WRITABLE
        with site.turn:
            if (port in gone) == (one.value == _OFF):
                return Error.NONE
            gone.symmetric_difference_update({port})
            socket = (wired.host.label, port)
            cabling.turned[socket] = site.elapsed()
            dark = port in wired.off or port in wired.unpowered
            for host in site.hosts:
                if cabling.sockets.get(host.mac) == socket:
                    host.mute = dark
            cabling.version += 1
        return Error.NONE

    return write


def promising(one: Variable) -> Error:
    """An agent that says yes to everything and does nothing."""
    return Error.NONE
