export const themes = ["system", "light", "dark"] as const;
export type Theme = (typeof themes)[number];
const key = "cirque-theme";

export function theme(): Theme {
  const t = localStorage.getItem(key);
  return t === "light" || t === "dark" ? t : "system";
}

/** Puts the chosen theme on the page, and follows the system where none is chosen. */
export function applyTheme(choice?: Theme): void {
  if (choice === "system") localStorage.removeItem(key);
  else if (choice) localStorage.setItem(key, choice);
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const put = () => {
    const t = theme();
    document.documentElement.dataset.theme = t === "system" ? (dark.matches ? "dark" : "light") : t;
  };
  put();
  dark.onchange = put;
}
