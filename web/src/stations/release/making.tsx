import { Package } from "@phosphor-icons/react";
import { useQueryClient } from "@tanstack/react-query";
import { useChange, useSaved } from "../../api/queries";
import { makeRelease } from "../../api/releases";
import { ActionButton } from "../../parts/actions";
import { useWork, Working } from "../../parts/job";

/** The button that makes the release, and how far it has got. made: told its number. */
export function Making({ ready, made }: { ready: boolean; made: (number: number) => void }) {
  const study = useSaved();
  const client = useQueryClient();
  const { allSaved } = useChange();
  const work = useWork();
  const make = () => {
    let edition = study.edition;
    const begin = async () => {
      edition = await allSaved();
      return makeRelease(study.id, edition);
    };
    return work.run(begin, async (number) => {
      await client.invalidateQueries({ queryKey: ["below", study.id, edition, "release", "made"] });
      made(Number(number));
    });
  };
  return (
    <div>
      {!work.job && (
        <ActionButton
          id="make-release"
          label="Make the release"
          icon={Package}
          look="strong"
          disabled={!ready}
          run={() => void make()}
        />
      )}
      <Working work={work} stop="stop-release" />
    </div>
  );
}
