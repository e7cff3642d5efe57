/** Light by default, dark where chosen; remembered in this browser. */
export type Theme = 'light' | 'dark'

const NAME = 'nomikon-theme'

export function storedTheme(): Theme {
  return window.localStorage.getItem(NAME) === 'dark' ? 'dark' : 'light'
}

export function applyTheme(theme: Theme): void {
  document.documentElement.dataset.theme = theme
  window.localStorage.setItem(NAME, theme)
}
