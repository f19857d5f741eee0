import { handOver } from "../../../parts/files";
import { INK, PAPER, SOFT } from "./colours";
import { FONT, LETTER, WIDE } from "./frame";

export type FileKind = "svg" | "png" | "pdf";

/** A drawing by itself, and what stands above and below it once it has left its page. */
export interface Picture {
  name: string;
  svg: string;
  height: number;
  title: string;
  notes: readonly string[];
}

const EDGE = 20;
const TITLE = 15;
const NOTE = 10;

const escaped = (text: string) => text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;");

/** A text in lines of at most so many letters, broken between words. */
export function lines(text: string, most: number): string[] {
  const found: string[] = [];
  for (const word of text.trim().split(/\s+/)) {
    const last = found.at(-1);
    if (last != null && `${last} ${word}`.length <= most) found[found.length - 1] = `${last} ${word}`;
    else found.push(word);
  }
  return found;
}

/** A picture as a document: its title, the drawing, and its notes. */
export function documentOf({ svg, height, title, notes }: Picture): string {
  let y = EDGE;
  const texts: string[] = [];
  const write = (text: string, size: number, weight: number, fill: string) => {
    for (const line of lines(text, Math.floor((WIDE * 12.5) / LETTER / size))) {
      y += size;
      texts.push(
        `<text x="${EDGE}" y="${y}" font-size="${size}" font-weight="${weight}" fill="${fill}">${escaped(line)}</text>`,
      );
      y += 4;
    }
  };
  write(title, TITLE, 600, INK);
  y += 8;
  const top = y;
  y += height + 8;
  for (const note of notes) write(note, NOTE, 400, SOFT);
  const wide = WIDE + 2 * EDGE;
  const high = y + EDGE - 4;
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${wide} ${high}" width="${wide}" height="${high}" font-family="${FONT}">`,
    `<title>${escaped(title)}</title>`,
    `<rect width="${wide}" height="${high}" fill="${PAPER}"/>`,
    `<g transform="translate(${EDGE},${top})">${svg}</g>`,
    ...texts,
    "</svg>",
  ].join("");
}

/** What is drawn in an svg element, and how high it is. */
export function drawnIn(svg: SVGSVGElement): Pick<Picture, "svg" | "height"> {
  const writer = new XMLSerializer();
  return {
    svg: [...svg.children].map((child) => writer.serializeToString(child)).join(""),
    height: svg.viewBox.baseVal.height,
  };
}

/** Pictures as a file each kind of program reads: one as it is, several in an archive. */
export async function keepPictures(pictures: readonly Picture[], kind: FileKind) {
  const [first] = pictures;
  if (!first) return;
  const body = { kind, pictures: pictures.map((p) => ({ name: p.name, svg: documentOf(p) })) };
  const response = await fetch("/api/v1/pictures", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
  if (!response.ok) {
    const said = await response.json().catch(() => null);
    throw new Error(said?.faults?.[0]?.what ?? "The charts could not be saved.");
  }
  const one = pictures.length === 1;
  handOver(await response.blob(), one ? `${first.name}.${kind}` : `pictures-${kind}.zip`);
}
