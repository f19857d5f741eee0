import { ClipboardText } from "@phosphor-icons/react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { copyText } from "../../parts/clipboard";
import { Sub } from "../../parts/panes";

/** The table read in words: sentences that its numbers bear, to copy as plain text. */
export function InWords({ words }: { words: readonly Schema["Reading"][] }) {
  if (!words.length) return null;
  const copy = () => {
    copyText(
      words.map((w, i) => (w.about && words[i - 1]?.about !== w.about ? `${w.about}\n${w.text}` : w.text)).join("\n"),
      "The sentences are on the clipboard.",
    );
  };
  return (
    <section aria-label="In words" className="max-w-3xl">
      <Sub>In words</Sub>
      <div className="space-y-1 font-serif">
        {words.map((w, i) => (
          <p key={`${w.about} ${w.text}`}>
            {w.about && words[i - 1]?.about !== w.about && <span className="block pt-1 italic">{w.about}</span>}
            {w.text}
          </p>
        ))}
      </div>
      <ActionButton id="copy-words" label="Copy the sentences" icon={ClipboardText} className="mt-1" run={copy} />
    </section>
  );
}
