import { useLocation } from "@tanstack/react-router";
import { Dialog } from "radix-ui";
import { type Action, useActions } from "../parts/actions";
import { Tick } from "../parts/fields";
import { alone, keyOf, setKey, switchKeys, useKeySettings } from "../parts/keys";
import { show, useOpened } from "../parts/opened";
import type { HelpText } from "../parts/station";
import { STATIONS } from "../stations";

const STUDIES: HelpText = {
  title: "Studies",
  paragraphs: [
    "A study is one survey: its answers, what they mean, what was done to them, its weights, its tables. Drop a file of answers here to begin one.",
    "Every change is saved by itself; the line of counts says when. Where the server cannot be reached, changes wait on the page until it can. If somebody else changed the study first, your change is refused; you can then apply it to their version. Undo goes back any number of changes.",
    "A study can be saved as a ZIP and run at the command line, or taken in again on another machine.",
  ],
  words: [["Study file", "one document that says everything that was done, so that it can be run again."]],
};

/** A key that can be another: the next one pressed. A key that another action has stays that one's. */
function KeyField({ action, taken }: { action: Action; taken: readonly Action[] }) {
  const settings = useKeySettings();
  const key = keyOf(action);
  if (!action.keys || !alone(action.keys)) return <kbd className="font-sans">{action.keys}</kbd>;
  const press = (event: React.KeyboardEvent) => {
    if (event.key.length !== 1 || event.ctrlKey || event.metaKey || event.altKey || event.key === " ") return;
    event.preventDefault();
    event.stopPropagation();
    const to = event.key.toLowerCase();
    if (!taken.some((a) => a.id !== action.id && keyOf(a)?.toLowerCase() === to)) setKey(action, to);
  };
  return (
    <input
      aria-label={`Key for ${action.label}`}
      title="Press another key to change it"
      disabled={settings.off}
      readOnly
      value={key ?? "–"}
      onKeyDown={press}
      className="w-10 rounded border border-hair bg-leaf px-1 text-center disabled:opacity-45"
    />
  );
}

/** What this page is for, what its words mean, and the keys. */
export function Help() {
  const open = useOpened() === "help";
  const actions = useActions();
  const { pathname } = useLocation();
  const station = STATIONS.find((s) => s.name === pathname.split("/")[3]);
  const text: HelpText = station?.help ?? STUDIES;
  const settings = useKeySettings();
  const keyed = actions.filter((a) => a.keys);
  return (
    <Dialog.Root open={open} onOpenChange={(to) => show(to ? "help" : null)}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="unroll fixed top-16 left-1/2 z-50 max-h-[80vh] w-[40rem] max-w-[92vw] -translate-x-1/2 overflow-y-auto border border-rule bg-leaf px-8 py-6 shadow-2xl"
        >
          <Dialog.Title className="mb-2 font-serif text-2xl">{text.title}</Dialog.Title>
          {text.paragraphs.map((paragraph) => (
            <p key={paragraph} className="mb-2">
              {paragraph}
            </p>
          ))}
          <dl className="mt-4">
            {text.words.map(([word, meaning]) => (
              <div key={word} className="mb-1.5">
                <dt className="inline font-semibold">{word}: </dt>
                <dd className="inline">{meaning}</dd>
              </div>
            ))}
          </dl>
          <h3 className="mt-4 mb-1 font-serif text-lg">Keys</h3>
          <Tick
            label="Enable single-key shortcuts (without Ctrl)"
            checked={!settings.off}
            onChange={(e) => switchKeys(!e.target.checked)}
          />
          <p className="mb-1 text-soft text-sm">To change a shortcut, click its key here and press the new one.</p>
          <dl className="grid grid-cols-[8rem_1fr] gap-y-0.5 text-sm">
            {keyed.map((action) => (
              <div key={action.id} className="contents">
                <dt>
                  <KeyField action={action} taken={keyed} />
                </dt>
                <dd>{action.label}</dd>
              </div>
            ))}
            <dt>↑ ↓</dt>
            <dd>through a list; with Shift, ticking on the way</dd>
            <dt>Esc</dt>
            <dd>closes pop-ups</dd>
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
