"""/api/v1/vendors: whose block a MAC lies in, the site's own prefixes, registry files."""

from __future__ import annotations

from ...api.common import Word
from ...api.network import PrefixPage, PrefixRow, VendorLoad, VendorLoaded, VendorView
from ...core.mac import Mac
from ...core.vendors import Prefix, VendorError, read_registry
from ...store import vendor_records
from .. import setting_edits
from ..web.contract import paths
from ..web.deps import ContextDep, Who
from ..web.paging import Paging, cut

router = paths("/api/v1/vendors", "vendors")


@router.get("/of/{text}")
def of(text: Word, context: ContextDep, who: Who) -> VendorView:
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
def own(context: ContextDep, who: Who, paging: Paging) -> PrefixPage:
    """The site's own prefixes."""
    with context.database.read() as connection:
        rows = sorted((str(prefix), name) for prefix, name in vendor_records.own(connection))
    shown, rest = cut(rows, lambda row: [row[0]], paging)
    return PrefixPage(items=[PrefixRow(prefix=prefix, name=name) for prefix, name in shown], **rest._asdict())


@router.put("/own", status_code=204)
def set_own(request: PrefixRow, context: ContextDep, who: Who) -> None:
    """Name an own prefix; an empty name takes it away."""
    setting_edits.set_prefix(context, who, Prefix.parse(request.prefix), request.name)


@router.post("/load")
def load(request: VendorLoad, context: ContextDep, who: Who) -> VendorLoaded:
    """Load a registry file's blocks; they are kept and win over the packaged ones."""
    blocks = list(read_registry(request.text.splitlines()))
    if not blocks:
        raise VendorError("the file holds no blocks; give IEEE's CSV or text listing, or lines of prefix and name")
    with context.database.write() as connection:
        loaded = vendor_records.add_blocks(connection, blocks)
    setting_edits.changed(context, {"prefix"})
    return VendorLoaded(loaded=loaded, total=len(context.vendors))
