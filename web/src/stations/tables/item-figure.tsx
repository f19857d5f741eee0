import type { Schema } from "../../api/client";
import { statisticName, useVocabulary } from "../../api/vocabulary";
import { Choice } from "../../parts/fields";
import type { Request } from "../../parts/table-plan";
import { answersOf } from "./answers";

type Figure = Schema["ItemFigure"];

const LEFT_OUT = "";

/** Which one figure stands for each item where groups are the columns. */
export function ItemFigure({
  request,
  codebook,
  take,
}: {
  request: Request;
  codebook: Schema["CodebookView"];
  take: (figure: Figure | null) => void;
}) {
  const vocabulary = useVocabulary();
  const answers = answersOf(codebook, request.stub?.[0] ?? "");
  const figures = (request.show ?? ["n", "col_pct"]).flatMap((stat): [Figure, string][] => {
    const name = statisticName(vocabulary, stat);
    if (!vocabulary.statistics.find((s) => s.name === stat)?.of_answers) return [[{ stat }, name]];
    return [
      ...(request.nets ?? []).filter((n) => !n.banner).map((n): [Figure, string] => [{ stat, net: n.label }, n.label]),
      ...answers.map((a): [Figure, string] => [{ stat, code: a.code }, a.label]),
    ].map(([figure, answer]) => [figure, `${name}: ${answer}`]);
  });
  const key = ({ stat, code, net }: Figure) => JSON.stringify([stat, code ?? null, net ?? null]);
  return (
    <Choice
      aria-label="Figure of each item"
      className="!w-56"
      value={request.figure ? key(request.figure) : LEFT_OUT}
      options={[[LEFT_OUT, "figure: as it suits"], ...figures.map(([f, says]) => [key(f), says] as const)]}
      onChange={(e) => take(figures.find(([f]) => key(f) === e.target.value)?.[0] ?? null)}
    />
  );
}
