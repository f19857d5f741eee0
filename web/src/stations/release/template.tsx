import { UploadSimple } from "@phosphor-icons/react";
import { useState } from "react";
import { api, type Fault, got, Refusal } from "../../api/client";
import { useChange, useSaved } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { pickFile } from "../../parts/drop";
import { Field } from "../../parts/fields";
import { Faults } from "../../parts/notices";

/** A .docx whose styles the text document takes. What is wrong with one is said here. */
export function Template({ name, put }: { name: string | null; put: (to: { template: string | null }) => void }) {
  const study = useSaved();
  const { inTurn } = useChange();
  const [faults, setFaults] = useState<readonly Fault[]>([]);
  const [leftOut, setLeftOut] = useState<readonly string[]>([]);
  const bring = async (file: File) => {
    setFaults([]);
    setLeftOut([]);
    try {
      const content = await file.arrayBuffer();
      await inTurn((edition) =>
        got(
          api.PUT("/api/v1/studies/{study_id}/releases/template", {
            params: { path: { study_id: study.id }, query: { edition, name: file.name } },
            body: content as never,
            bodySerializer: (body: unknown) => body as ArrayBuffer,
          }),
        ).then((brought) => {
          setLeftOut(brought.left_out);
          return null;
        }),
      );
      put({ template: file.name });
    } catch (error) {
      const found = error instanceof Refusal ? error.faults : [{ what: String(error), mend: "" }];
      setFaults(found.map((fault) => ({ ...fault, where: "" })));
    }
  };
  return (
    <Field label="Template of the text document" hint={name ?? "Empty: our own styles."}>
      {() => (
        <>
          <div className="flex gap-1">
            <ActionButton
              id="bring-template"
              label="Choose a .docx"
              icon={UploadSimple}
              run={() => pickFile(".docx", bring)}
            />
            {name && (
              <ActionButton id="no-template" label="Remove template" look="quiet" run={() => put({ template: null })} />
            )}
          </div>
          {faults.length > 0 && (
            <div ref={(shown) => shown?.scrollIntoView({ block: "nearest" })}>
              <Faults faults={faults} />
            </div>
          )}
          {leftOut.length > 0 && (
            <p role="status" className="mt-1 text-sm">
              Not taken from it: {leftOut.join(", ")}. Kept are styles, numbering, headers and footers, page set-up,
              fonts and pictures.
            </p>
          )}
        </>
      )}
    </Field>
  );
}
