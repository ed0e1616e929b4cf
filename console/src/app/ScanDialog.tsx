// Start a scan from any page: of the subnet that is looked at, else of the one this machine stands in.
import { Dialog } from "radix-ui";
import { useLocation } from "react-router";
import type { Here } from "../api/types";
import { ScanForm } from "../parts/ScanForm";

interface Props {
  here: Here;
  open: boolean;
  onOpenChange(open: boolean): void;
}

export default function ScanDialog({ here, open, onOpenChange }: Props) {
  const [, base, prefix] = /^\/subnets\/([\d.]+)\/(\d+)/.exec(useLocation().pathname) ?? [];
  const own = here.adapters.find((adapter) => adapter.chosen)?.addresses[0]?.subnet.cidr;
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[8vh] left-1/2 z-30 max-h-[84vh] w-[min(54rem,94vw)] -translate-x-1/2 overflow-auto rounded-md border border-rule bg-leaf p-5 shadow-xl"
        >
          <Dialog.Title className="mb-3 text-lg font-semibold">Scan</Dialog.Title>
          <ScanForm
            initial={base ? `${base}/${prefix}` : (own ?? "")}
            here={here}
            onStarted={() => onOpenChange(false)}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
