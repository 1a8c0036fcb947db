import { IconMoon, IconSun } from "@tabler/icons-react";
import { useState } from "react";

import { setTheme, theme } from "../state/theme";

export function ThemeSwitch() {
  const [now, setNow] = useState(theme);
  const next = now === "dark" ? "light" : "dark";
  return (
    <button
      type="button"
      title={`Use the ${next} theme`}
      aria-label={`Use the ${next} theme`}
      onClick={() => {
        setTheme(next);
        setNow(next);
      }}
      className="grid size-8 place-items-center rounded-control text-ink-2 hover:bg-fog-2"
    >
      {now === "dark" ? <IconSun size={17} stroke={1.7} /> : <IconMoon size={17} stroke={1.7} />}
    </button>
  );
}
