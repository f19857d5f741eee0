import { handOver } from "../../parts/files";

export type FileKind = "svg" | "png" | "pdf";

/** A drawing as text, its classes left behind. */
function written(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  copy.removeAttribute("class");
  return new XMLSerializer().serializeToString(copy);
}

/** Drawings as a file each kind of program reads: one as it is, several in an archive. */
export async function keepPictures(pictures: readonly { name: string; svg: SVGSVGElement }[], kind: FileKind) {
  const [first] = pictures;
  if (!first) return;
  const body = { kind, pictures: pictures.map((p) => ({ name: p.name, svg: written(p.svg) })) };
  const response = await fetch("/api/v1/pictures", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
  if (!response.ok) {
    const said = await response.json().catch(() => null);
    throw new Error(said?.faults?.[0]?.what ?? "The pictures could not be saved.");
  }
  const one = pictures.length === 1;
  handOver(await response.blob(), one ? `${first.name}.${kind}` : `pictures-${kind}.zip`);
}
