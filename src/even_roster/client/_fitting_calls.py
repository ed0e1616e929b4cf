"""The calls of fittings and kinds of devices as values. Both clients run these; errors are those of the package."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING
from urllib.parse import quote

from ._calls import Call, ListCall, call, listing, named, or_any

if TYPE_CHECKING:
    from ..api.calling import WakePage, WakeView
    from ..api.demo import CartonPage, CartonView, LeadPage, LeadPlug, LeadPull, LeadView, TypedIn
    from ..api.fitting import (
        ChangeOverNew,
        DeviceKindEdit,
        DeviceKindNew,
        DeviceKindPage,
        DeviceKindView,
        FittingNew,
        FittingPage,
        FittingRow,
        FittingView,
        KindFile,
        KindsTaken,
        Record,
    )
    from ..api.network import PhoneSignIn


def fittings(open: bool = False, limit: int | None = None) -> ListCall[FittingRow, FittingPage]:
    """Fittings, the latest first; with `open` those that are not over."""
    return listing("FittingPage", "/api/v1/fittings", {"open": open or None}, limit)


def fitting(identity: int) -> Call[FittingView]:
    """One fitting with its devices, each at its own step."""
    return call("FittingView", "GET", f"/api/v1/fittings/{identity}")


def begin_fitting(new: FittingNew) -> Call[FittingView]:
    """Begin to bring devices in: free addresses are proven and taken at once, which takes about three seconds."""
    return call("FittingView", "POST", "/api/v1/fittings", body=new)


def begin_change_over(new: ChangeOverNew) -> Call[FittingView]:
    """Begin to move a device, or to put a new box in its place."""
    return call("FittingView", "POST", "/api/v1/fittings/change-over", body=new)


def give_up_fitting(identity: int, fitted: Sequence[int] = ()) -> Call[FittingView]:
    """Give devices of a fitting up, by their ids in it, or all of them: what was taken for them is released."""
    return call("FittingView", "POST", f"/api/v1/fittings/{identity}/give-up", body={"fitted_ids": list(fitted)})


def lend(identity: int, fitted: int) -> Call[FittingView]:
    """Lend this machine's adapter an address to reach a device in a foreign subnet."""
    return call("FittingView", "POST", f"/api/v1/fittings/{identity}/lend", body={"fitted_id": fitted})


def take_back(identity: int, fitted: int) -> Call[FittingView]:
    """Take back what was lent."""
    return call("FittingView", "POST", f"/api/v1/fittings/{identity}/take-back", body={"fitted_id": fitted})


def answer_device(identity: int, fitted: int) -> Call[FittingView]:
    """Consent that what a device asks by DHCP or BOOTP is answered from here; it takes ten seconds to ask for servers first."""
    return call(
        "FittingView", "POST", f"/api/v1/fittings/{identity}/answer", body={"fitted_id": fitted, "consent": True}
    )  # fmt: skip


def answer_no_more(identity: int, fitted: int) -> Call[FittingView]:
    """Answer a device's questions no more."""
    return call("FittingView", "POST", f"/api/v1/fittings/{identity}/answer-no-more", body={"fitted_id": fitted})


def record_fitting(identity: int, record: Record) -> Call[FittingView]:
    """Close the fitting of a device that is proven in place, with what is to be known of it."""
    return call("FittingView", "POST", f"/api/v1/fittings/{identity}/record", body=record)


def device_kinds() -> ListCall[DeviceKindView, DeviceKindPage]:
    """The kinds of devices that the site knows."""
    return listing("DeviceKindPage", "/api/v1/kinds")


def add_device_kind(new: DeviceKindNew) -> Call[DeviceKindView]:
    """A new kind of device."""
    return call("DeviceKindView", "POST", "/api/v1/kinds", body=new)


def edit_device_kind(identity: int, edit: DeviceKindEdit, version: int | None = None) -> Call[DeviceKindView]:
    """Change a kind."""
    return call("DeviceKindView", "PATCH", f"/api/v1/kinds/{identity}", body=edit, version=or_any(version))


def remove_device_kind(identity: int, version: int | None = None) -> Call[None]:
    """A kind no more."""
    return call("None", "DELETE", f"/api/v1/kinds/{identity}", version=version)


def kinds_out() -> Call[KindFile]:
    """All kinds as one JSON document."""
    return call("KindFile", "GET", "/api/v1/kinds/file")


def kinds_in(text: str) -> Call[KindsTaken]:
    """Take such a document in, as one change."""
    return call("KindsTaken", "POST", "/api/v1/kinds/file", body={"text": text})


def wake(device: int | str, password: str = "") -> Call[WakeView]:
    """Wake a device by magic packets; with a SecureOn password where its adapter wants one; empty: the one that is kept, if any."""
    return call("WakeView", "POST", "/api/v1/wakes", body={"device": device, "password": password})


def keep_wake_password(device: int | str, password: str) -> Call[None]:
    """Keep the SecureOn password of a device's adapters, encrypted, for whenever it is woken; an empty one: forget it."""
    return call("None", "PUT", f"/api/v1/wake-passwords/{named(device)}", body={"password": password})


def wake_state(identity: int) -> Call[WakeView]:
    """How a wake stands: waiting, up, or silent when nothing came of it."""
    return call("WakeView", "GET", f"/api/v1/wakes/{identity}")


def wakes() -> ListCall[WakeView, WakePage]:
    """Who was woken since the service started, the latest first."""
    return listing("WakePage", "/api/v1/wakes")


def phone_sign_in(page: str = "/", host: str = "") -> Call[PhoneSignIn]:
    """A one-time sign-in for a phone, as an address and as a QR code."""
    return call("PhoneSignIn", "POST", "/api/v1/session/phone", body={"page": page, "host": host})


def cartons() -> ListCall[CartonView, CartonPage]:
    """The devices of the simulated site that stand there in their cartons."""
    return listing("CartonPage", "/api/v1/demo/cartons")


def power_carton(label: str, on: bool) -> Call[CartonView]:
    """Plug a device of the simulated site in, or pull its plug."""
    return call("CartonView", "POST", f"/api/v1/demo/cartons/{quote(label, safe='')}/power", body={"on": on})


def type_into_carton(label: str, typed: TypedIn) -> Call[CartonView]:
    """Type settings into the page of a device of the simulated site."""
    return call("CartonView", "POST", f"/api/v1/demo/cartons/{quote(label, safe='')}/settings", body=typed)


def cables() -> ListCall[LeadView, LeadPage]:
    """The cables of the simulated site; of those between switches each end is one."""
    return listing("LeadPage", "/api/v1/demo/cables")


def pull_cable(pull: LeadPull) -> Call[None]:
    """Pull what is plugged into a port of the simulated site. Raises BadInput."""
    return call("None", "POST", "/api/v1/demo/cables/pull", body=pull)


def plug_cable(plug: LeadPlug) -> Call[None]:
    """Plug the free end of a cable of the simulated site into a port. Raises BadInput."""
    return call("None", "POST", "/api/v1/demo/cables/plug", body=plug)
