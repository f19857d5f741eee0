type Value = unknown;

type Named = { code: number; label: string };

/** A list or table of an entry as lines. */
export function asLines(key: string, value: Value): string {
  if (value == null) return "";
  if (key === "groups")
    return (value as (Named & { from: number[] })[])
      .map((g) => `${g.code} ${g.label}: ${g.from.join(", ")}`)
      .join("\n");
  if (key === "bands")
    return (value as (Named & { from?: number | null; below?: number | null })[])
      .map((b) => `${b.code} ${b.label}: ${b.from ?? ""} to ${b.below ?? ""}`)
      .join("\n");
  if (key === "options") return (value as Named[]).map((o) => `${o.code} ${o.label}`).join("\n");
  if (Array.isArray(value)) return value.join("\n");
  if (typeof value === "object")
    return Object.entries(value)
      .map(([k, v]) => `${k} = ${v ?? ""}`)
      .join("\n");
  return String(value);
}

const numberOr = (text: string) => (text !== "" && Number.isFinite(Number(text)) ? Number(text) : text);

/** Lines read back; undefined where they do not read. */
export function fromLines(key: string, text: string): Value | undefined {
  const lines = text
    .split(/\r?\n/)
    .map((l) => l.trimEnd())
    .filter((l) => l.trim());
  if (key === "groups" || key === "bands" || key === "options") {
    const found = lines.map((line) => /^\s*(-?\d+)\s+(.*?)(?::\s*([^:]*))?$/.exec(line));
    if (found.some((m) => !m)) return undefined;
    return found.map((m) => {
      const named = { code: Number(m?.[1]), label: m?.[2] ?? "" };
      const rest = m?.[3] ?? "";
      if (key === "options") return { ...named, label: rest ? `${named.label}: ${rest}` : named.label };
      if (key === "groups")
        return {
          ...named,
          from: rest
            .split(/[\s,]+/)
            .filter(Boolean)
            .map(Number),
        };
      const [from, below] = rest.split(/\bto\b/).map((part) => part.trim());
      return { ...named, ...(from ? { from: Number(from) } : {}), ...(below ? { below: Number(below) } : {}) };
    });
  }
  if (["answers", "codes", "names", "entries", "wordings"].includes(key)) {
    const pairs = lines.map((line) => {
      const at = line.lastIndexOf("=");
      return at < 0 ? null : ([line.slice(0, at).trimEnd(), line.slice(at + 1).trim()] as const);
    });
    if (pairs.some((p) => !p)) return undefined;
    return Object.fromEntries(
      pairs.map((p) => [
        p?.[0] ?? "",
        key === "names" || key === "wordings" ? (p?.[1] ?? "") : p?.[1] === "" ? null : numberOr(p?.[1] ?? ""),
      ]),
    );
  }
  if (key === "on" && lines.some((l) => l.includes("=")))
    return Object.fromEntries(lines.map((l) => l.split("=").map((part) => part.trim())));
  return lines.map((l) => (key === "take" || key === "on" ? l.trim() : numberOr(l.trim())));
}
