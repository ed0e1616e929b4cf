// The map for the wall and the handover: as SVG from the service, or as a picture that this browser makes of it.
import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { api } from "../../api/client";
import { sentence } from "../../lib/format";
import { Button } from "../../parts/basics";
import { saved } from "../../lib/saved";

const SHARP = 2,
  MOST = 12_000;

interface Props {
  at: string | null;
  begin: string;
  end: string;
  lit: boolean;
}

export function TakeMap({ at, begin, end, lit }: Props) {
  const sheet = () =>
    api.get("/api/v1/wiring/sheet", { query: { at, ...(lit && begin && end ? { begin, end } : {}) } });
  const svg = useMutation({
    mutationFn: async () => saved(new Blob([(await sheet()).svg], { type: "image/svg+xml" }), "wiring.svg"),
  });
  const png = useMutation({ mutationFn: async () => saved(await picture((await sheet()).svg), "wiring.png") });
  const wrong = svg.error ?? png.error;
  return (
    <>
      <Button disabled={svg.isPending} onClick={() => svg.mutate()}>
        <Download className="size-4" aria-hidden /> SVG
      </Button>
      <Button disabled={png.isPending} onClick={() => png.mutate()}>
        <Download className="size-4" aria-hidden /> PNG
      </Button>
      {wrong ? <span className="text-sm text-alarm">{sentence(wrong.message)}.</span> : null}
    </>
  );
}

/** A document as a picture, twice as fine as it is drawn, as far as a browser makes pictures that large. */
export async function picture(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const scale = Math.min(SHARP, MOST / image.naturalWidth, MOST / image.naturalHeight);
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(image.naturalWidth * scale);
  canvas.height = Math.round(image.naturalHeight * scale);
  const brush = canvas.getContext("2d");
  if (!brush) throw new Error("this browser draws no pictures");
  brush.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done, fail) =>
    canvas.toBlob((made) => (made ? done(made) : fail(new Error("this browser makes no picture that large")))),
  );
}
