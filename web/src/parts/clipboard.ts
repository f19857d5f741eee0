import { tell } from "./notices";

/** Puts a text on the clipboard, and says that it is there. */
export const copyText = (text: string, done: string) =>
  navigator.clipboard.writeText(text).then(
    () => tell(done),
    () => tell("The clipboard cannot be reached from here; mark the text and copy it."),
  );
