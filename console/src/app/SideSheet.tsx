// The sheet on the right: what is selected, with everything known about it.
import { X } from "lucide-react";
import { lazy, Suspense } from "react";
import { useNarrow } from "../lib/narrow";
import { type Open, useOpen } from "../lib/open";

const DeviceSheetView = lazy(() => import("../pages/DeviceSheetView"));
const FindingSheetView = lazy(() => import("../pages/FindingSheetView"));
const PortSheetView = lazy(() => import("../pages/PortSheetView"));
const AddressSheetView = lazy(() => import("../pages/AddressSheetView"));

export function SideSheet({ open }: { open: Open }) {
  const [, setOpen] = useOpen();
  return (
    <div
      role={useNarrow() ? "main" : "complementary"}
      aria-label="Selected"
      className="relative w-full overflow-auto border-l border-rule bg-leaf px-5 pt-4 pb-8 lg:w-[27rem] lg:shrink-0"
      onKeyDown={(event) => event.key === "Escape" && setOpen(null)}
    >
      {/* on a narrow window the sheet stands in the page's place, and so has its heading */}
      <h1 className="sr-only lg:hidden">Selected</h1>
      <button
        type="button"
        onClick={() => setOpen(null)}
        aria-label="Close"
        className="absolute top-3 right-3 rounded p-1 hover:bg-wash"
      >
        <X className="size-5" />
      </button>
      <Suspense fallback={<p className="text-soft">Opening…</p>}>
        {open.kind === "device" ? (
          <DeviceSheetView key={open.id} id={open.id} />
        ) : open.kind === "port" ? (
          <PortSheetView key={open.id} id={open.id} />
        ) : open.kind === "finding" ? (
          <FindingSheetView key={open.id} id={open.id} />
        ) : (
          <AddressSheetView key={open.address} address={open.address} />
        )}
      </Suspense>
    </div>
  );
}
