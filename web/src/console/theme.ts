import { create } from 'zustand';

type Theme = 'light' | 'dark';

const KEY = 'uniferum.theme';

interface ThemeState {
  theme: Theme;
  toggle: () => void;
}

/** Light or dark: follows the system until the user chooses. */
export const useTheme = create<ThemeState>((set, get) => ({
  theme: readTheme(),
  toggle: () => {
    const theme = get().theme === 'light' ? 'dark' : 'light';
    localStorage.setItem(KEY, theme);
    applyTheme(theme);
    set({ theme });
  },
}));

applyTheme(readTheme());

function readTheme(): Theme {
  const chosen = localStorage.getItem(KEY);
  if (chosen === 'light' || chosen === 'dark') return chosen;
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

function applyTheme(theme: Theme): void {
  document.documentElement.dataset.theme = theme;
}
