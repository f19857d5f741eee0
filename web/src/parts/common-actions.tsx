import { Command as CommandIcon, Moon, Question, Sun } from "@phosphor-icons/react";
import { useState } from "react";
import { ActionButton } from "./actions";
import { show } from "./opened";
import { applyTheme, storedTheme } from "./theme";

/** Buttons that are the same on every page. */
export function CommonActions() {
  const [theme, setTheme] = useState(storedTheme());
  const other = theme === "light" ? "dark" : "light";
  return (
    <>
      <ActionButton
        id="palette"
        label="Do something …"
        keys="Ctrl+k"
        run={() => show("palette")}
        icon={CommandIcon}
        bare
        look="quiet"
      />
      <ActionButton
        id="theme"
        label={other === "dark" ? "Dark page" : "Light page"}
        run={() => {
          applyTheme(other);
          setTheme(other);
        }}
        icon={other === "dark" ? Moon : Sun}
        bare
        look="quiet"
      />
      <ActionButton
        id="help"
        label="Help and keys"
        keys="?"
        run={() => show("help")}
        icon={Question}
        bare
        look="quiet"
      />
    </>
  );
}
