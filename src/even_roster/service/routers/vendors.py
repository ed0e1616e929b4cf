"""/api/vendors: whose block a MAC lies in, the site's own prefixes, registry files."""

from __future__ import annotations

from fastapi import APIRouter

from ...api.network import PrefixRow, VendorLoad, VendorLoaded, VendorView
from ...core.mac import Mac
from ...core.vendors import Prefix, VendorError, read_registry
from ...store import device_queries, vendor_records
from ...store.summaries import refresh
from ..context import Context
from ..deps import ContextDep, Who, editing

router = APIRouter(prefix="/api/vendors", tags=["vendors"])


@router.get("/of/{text}")
def of(text: str, context: ContextDep, who: Who) -> VendorView:
    """The vendor of a MAC in any notation, and its other notations."""
    mac = Mac.parse(text)
    vendor = context.vendors.of(mac)
    bare = f"{mac.value:012x}"
    dotted = ".".join(bare[i : i + 4] for i in (0, 4, 8))
    return VendorView(
        mac=str(mac), vendor=vendor.name if vendor else None, prefix=str(vendor.prefix) if vendor else None,
        bits=vendor.prefix.length if vendor else None, own=bool(vendor and vendor.own), local=mac.local,
        multicast=mac.multicast, notations=[str(mac), str(mac).replace(":", "-").upper(), dotted, bare],
    )  # fmt: skip


@router.get("/own")
def own(context: ContextDep, who: Who) -> list[PrefixRow]:
    """The site's own prefixes."""
    with context.database.read() as connection:
        return [PrefixRow(prefix=str(prefix), name=name) for prefix, name in vendor_records.own(connection)]


@router.put("/own", status_code=204)
def set_own(request: PrefixRow, context: ContextDep, who: Who) -> None:
    """Name an own prefix; an empty name takes it away."""
    prefix = Prefix.parse(request.prefix)
    with editing(context, who) as editor:
        editor.set_prefix(prefix.value, prefix.length, request.name)
    if request.name.strip():
        context.vendors.add(prefix, request.name.strip(), own=True)
    else:
        context.vendors.remove_own(prefix)
    _refresh(context)


@router.post("/load")
def load(request: VendorLoad, context: ContextDep, who: Who) -> VendorLoaded:
    """Load a registry file's blocks; they are kept and win over the packaged ones."""
    blocks = list(read_registry(request.text.splitlines()))
    if not blocks:
        raise VendorError("the file holds no blocks; give IEEE's CSV or text listing, or lines of prefix and name")
    with context.database.write() as connection:
        loaded = vendor_records.add_blocks(connection, blocks)
    context.reload_own_vendors()
    _refresh(context)
    return VendorLoaded(loaded=loaded, known=len(context.vendors))


def _refresh(context: Context) -> None:
    """Vendors stand in the device list: bring every device's summary up to date, in batches."""
    with context.database.read() as connection:
        identities = device_queries.all_ids(connection)
    for start in range(0, len(identities), 2000):
        with context.database.write() as connection:
            refresh(connection, identities[start : start + 2000], context.vendor_of)
    context.tell("devices", {"ids": None, "new": 0})
