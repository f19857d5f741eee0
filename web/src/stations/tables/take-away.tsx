import { ClipboardText, DownloadSimple } from "@phosphor-icons/react";
import { clipOf, type FileKind, type PieceOf, pieceFile } from "../../api/pieces";
import { ActionButton } from "../../parts/actions";
import { handOver } from "../../parts/files";
import { tell } from "../../parts/notices";

const KINDS: readonly (readonly [FileKind, string])[] = [
  ["docx", "text document (.docx)"],
  ["pdf", "pages (.pdf)"],
  ["html", "web page (.html)"],
  ["pptx", "slides (.pptx)"],
  ["xlsx", "workbook (.xlsx)"],
  ["ods", "workbook (.ods)"],
  ["csv", "estimates (.csv)"],
  ["jsonstat", "JSON-stat (.json)"],
];

const UNREACHED = "The clipboard cannot be reached from here; save it as a file instead.";

/** Puts a table or analysis on the clipboard, with its lines and as text parted by tabs. */
async function copy(study: string, part: PieceOf, name: string) {
  const clip = clipOf(study, part, name);
  const as = (kind: "html" | "text", type: string) => clip.then((of) => new Blob([of[kind]], { type }));
  try {
    // The press is what allows it: the contents may come later.
    const item = new ClipboardItem({ "text/html": as("html", "text/html"), "text/plain": as("text", "text/plain") });
    await navigator.clipboard.write([item]);
    tell("It is on the clipboard, as the release would show it.");
  } catch {
    tell(
      await clip.then(
        () => UNREACHED,
        (refusal: Error) => refusal.message,
      ),
    );
  }
}

/** What stands here to be taken elsewhere: copied in one press, or as a file of any format. */
export function TakeAway({
  study,
  part,
  name,
  disabled,
}: {
  study: string;
  part: PieceOf;
  name: string;
  disabled?: boolean;
}) {
  return (
    <>
      <ActionButton
        id="copy-piece"
        label="Copy with its notes"
        keys="y"
        icon={ClipboardText}
        look="quiet"
        disabled={disabled}
        run={() => copy(study, part, name)}
      >
        Copy
      </ActionButton>
      <details data-fold="save-as" className="relative">
        <summary className="flex cursor-pointer list-none items-center gap-1.5 rounded px-2 py-1 text-sm text-soft hover:bg-wash hover:text-ink">
          <DownloadSimple size={16} aria-hidden />
          Save as
        </summary>
        <div className="absolute right-0 z-20 mt-1 flex w-max flex-col items-stretch border border-rule bg-paper py-1">
          {KINDS.map(([kind, says]) => (
            <ActionButton
              key={kind}
              id={`save-as-${kind}`}
              label={`Save as ${says}`}
              look="quiet"
              className="rounded-none"
              disabled={disabled}
              run={() => {
                document.querySelector('details[data-fold="save-as"]')?.removeAttribute("open");
                pieceFile(study, part, name, kind).then(
                  (file) => handOver(file.blob, file.name),
                  (refusal: Error) => tell(refusal.message),
                );
              }}
            >
              {says}
            </ActionButton>
          ))}
        </div>
      </details>
    </>
  );
}
