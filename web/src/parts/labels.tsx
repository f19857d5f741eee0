import { createContext, useContext } from "react";

export interface Showing {
  codes: boolean;
  toggle: () => void;
}

export const ShowingContext = createContext<Showing>({ codes: false, toggle: () => {} });

/** Whether codes or labels are shown, everywhere at once. */
export const useShowing = () => useContext(ShowingContext);

/** An answer as its label, or as its code. */
export function useAnswer() {
  const { codes } = useShowing();
  return (code: number | null | undefined, label: string) => (codes && code != null ? String(code) : label);
}
