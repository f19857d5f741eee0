import { Command } from "cmdk";
import { Dialog, VisuallyHidden } from "radix-ui";
import { useActions } from "../parts/actions";
import { show, useOpened } from "../parts/opened";

/** Every action of the page by its name. */
export function Palette() {
  const open = useOpened() === "palette";
  const actions = useActions();
  return (
    <Dialog.Root open={open} onOpenChange={(to) => show(to ? "palette" : null)}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="unroll fixed top-24 left-1/2 z-50 w-[36rem] max-w-[92vw] -translate-x-1/2 border border-rule bg-leaf shadow-2xl"
        >
          <VisuallyHidden.Root>
            <Dialog.Title>Do something</Dialog.Title>
          </VisuallyHidden.Root>
          <Command label="Do something" loop>
            <Command.Input
              placeholder="What would you like to do?"
              className="w-full border-hair border-b bg-transparent px-4 py-3 font-serif text-lg placeholder:text-soft focus:outline-none"
            />
            <Command.List className="max-h-[50vh] overflow-y-auto p-2">
              <Command.Empty className="px-3 py-4 text-soft">No action matches.</Command.Empty>
              {actions.map((action) => (
                <Command.Item
                  key={action.id}
                  value={`${action.label} ${action.id}`}
                  data-palette-action={action.id}
                  disabled={action.disabled}
                  onSelect={() => {
                    show(null);
                    setTimeout(action.run);
                  }}
                  className="flex cursor-pointer justify-between gap-4 rounded px-3 py-1.5 data-[disabled=true]:opacity-45 data-[selected=true]:bg-wash"
                >
                  <span>{action.label}</span>
                  {action.keys && <kbd className="font-sans text-soft text-xs">{action.keys}</kbd>}
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
