import { useChange, useStudy } from "../../api/queries";
import { Field } from "../../parts/fields";
import { NumberField } from "../../parts/number-field";

/** Standard errors of a mean beyond which one case is found to carry it, unless it is said otherwise. */
export const INFLUENCE = 0.5;

/** Beyond how many standard errors of a number's mean a case is found. */
export function Threshold() {
  const study = useStudy();
  const { change } = useChange();
  return (
    <Field label="Flag above" hint="Contribution of one case to a mean, in standard errors.">
      {(p) => (
        <NumberField
          {...p}
          value={study.document.screening?.influence}
          fits={(n) => n > 0}
          empty={false}
          take={(influence) => change.mutate((document) => ({ screening: { ...document.screening, influence } }))}
        />
      )}
    </Field>
  );
}
