import { useState } from "react";

/** What is asked for shows at once; what there is, again, once it has been saved or refused. Changes made in the meantime build on
 * what is shown, so that none is lost. */
export function useAsked<T>(given: T) {
  const [own, setOwn] = useState<{ asked: T } | null>(null);
  const ask = (asked: T, saved: Promise<unknown>) => {
    const mine = { asked };
    setOwn(mine);
    const done = () => setOwn((now) => (now === mine ? null : now));
    saved.then(done, done);
  };
  return [own ? own.asked : given, ask] as const;
}
