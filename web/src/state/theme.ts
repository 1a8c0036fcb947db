const KEY = "nightmist-theme";

export type Theme = "light" | "dark";

export function theme(): Theme {
  return localStorage.getItem(KEY) === "dark" ? "dark" : "light";
}

export function applyTheme(): void {
  document.documentElement.dataset.theme = theme();
}

export function setTheme(next: Theme): void {
  localStorage.setItem(KEY, next);
  applyTheme();
}
