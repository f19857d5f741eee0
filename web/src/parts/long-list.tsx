import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";

/** Lists shorter than this are built whole. */
const LONG = 150;

interface Props {
  count: number;
  /** About how high a row is, in pixels. */
  height: number;
  keyOf: (at: number) => string;
  row: (at: number) => ReactNode;
  /** The row that is brought into sight. */
  shown?: number;
}

/** The rows of a long list that are in sight of the pane that scrolls, and some around them. */
function InSight({ count, height, keyOf, row, shown = -1 }: Props) {
  const list = useRef<HTMLDivElement>(null);
  const [above, setAbove] = useState(0);
  const pane = () => list.current?.closest<HTMLElement>("main, section[tabindex]") ?? null;
  useLayoutEffect(() => setAbove(list.current?.offsetTop ?? 0), []);
  const rows = useVirtualizer({
    count,
    getScrollElement: pane,
    estimateSize: () => height,
    getItemKey: keyOf,
    overscan: 8,
    scrollMargin: above,
  });
  useEffect(() => {
    if (shown >= 0) rows.scrollToIndex(shown, { align: "auto" });
  }, [shown, rows]);
  return (
    <div ref={list} style={{ height: rows.getTotalSize() }} className="relative">
      {rows.getVirtualItems().map((item) => (
        <div
          key={item.key}
          data-index={item.index}
          ref={rows.measureElement}
          className="absolute top-0 left-0 w-full"
          style={{ transform: `translateY(${item.start - above}px)` }}
        >
          {row(item.index)}
        </div>
      ))}
    </div>
  );
}

/** A list of any length; of a long one only what is in sight is built. */
export function LongList(props: Props) {
  if (props.count > LONG) return <InSight {...props} />;
  return (
    <>
      {Array.from({ length: props.count }, (_, at) => (
        <div key={props.keyOf(at)}>{props.row(at)}</div>
      ))}
    </>
  );
}
