import { create } from "zustand";

export type Theme = "paper" | "night";

const STORED = "gemischt-theme";

function show(theme: Theme) {
  document.documentElement.classList.toggle("dark", theme === "night");
  document.documentElement.classList.toggle("light", theme === "paper");
  document.documentElement.style.colorScheme = theme === "night" ? "dark" : "light";
}

const initial: Theme = localStorage.getItem(STORED) === "night" ? "night" : "paper";
show(initial);

/** The theme in use; kept in the browser. */
export const useTheme = create<{ theme: Theme; toggle: () => void }>((set, get) => ({
  theme: initial,
  toggle: () => {
    const theme = get().theme === "paper" ? "night" : "paper";
    localStorage.setItem(STORED, theme);
    show(theme);
    set({ theme });
  },
}));
