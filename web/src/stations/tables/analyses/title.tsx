/** What a part of the plan is called, as typed. */
export function Title({
  one,
  called,
  take,
}: {
  /** What it is. */
  one: string;
  called: string;
  take: (title: string | null) => void;
}) {
  return (
    <h1 className="grow">
      <textarea
        key={called}
        rows={1}
        aria-label={`Title of the ${one}`}
        defaultValue={called}
        onKeyDown={(e) => {
          if (e.key === "Enter") {
            e.preventDefault();
            e.currentTarget.blur();
          }
        }}
        onBlur={(e) => e.target.value.trim() !== called && take(e.target.value.trim() || null)}
        className="field-sizing-content w-full resize-none rounded bg-transparent font-serif text-2xl leading-snug hover:bg-wash"
      />
    </h1>
  );
}
