/** What the parts of a study file are called on the page; a list's place stands after its name, from 1. */
const PARTS: Record<string, [one: string, listed: string]> = {
  tables: ["the plan", "table"],
  ledger: ["the ledger", "entry"],
  weightings: ["weighting", "weighting"],
  margins: ["its margins", "margin"],
  targets: ["its targets", "target"],
  design: ["the sample design", ""],
  codebook: ["the codebook", ""],
  variables: ["its questions", "question"],
  scales: ["its answer scales", "answer scale"],
  rules: ["its rules", "rule"],
  nets: ["its nets", "net"],
  screening: ["the checks", ""],
  suppression: ["the rules of disclosure control", ""],
  marks: ["the rules for unreliable figures", ""],
  models: ["the models", "model"],
  side_by_side: ["comparison of models", "comparisons of models"],
  reliability: ["the scales of items", "scale of items"],
  correlations: ["the correlations", "correlations"],
  release: ["the release", ""],
  contents: ["its contents", "part"],
  style: ["its style", ""],
  template: ["its template", ""],
};

/** Where a fault is, in words: `weightings[0].margins[1]` is weighting 1, margin 2. A place in a file stays as it is; the keys of
 * an entry or a table are told by where their field stands. */
export function placeInWords(where: string): string {
  const known: string[] = [];
  for (const step of where.split(".")) {
    const [name = "", at] = step.replace("]", "").split("[");
    const part = PARTS[name];
    if (!part) break;
    known.push(at === undefined ? part[0] : `${part[1]} ${Number(at) + 1}`);
  }
  if (known.length) return known.join(", ");
  return /^[a-z_]*$/.test(where) ? "" : where;
}
