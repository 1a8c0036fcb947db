const KEY = "nightmist-theme";

export type Theme = "light" | "dark";

/** Of this page, where the browser keeps nothing for it. */
let chosen: Theme | null = null;

export function theme(): Theme {
  return (chosen ??= kept());
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme();
}

export function setTheme(next: Theme): void {
  chosen = next;
  applyTheme();
  try {
    localStorage.setItem(KEY, next);
  } catch {
    // It is for this page alone then.
  }
}

function kept(): Theme {
  try {
    return localStorage.getItem(KEY) === "dark" ? "dark" : "light";
  } catch {
    return "light";
  }
}
