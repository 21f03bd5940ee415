// Light or dark: set before the first paint by public/mode.js, kept here.
const root = document.documentElement;

export const theme = $state({ mode: root.getAttribute('data-mode') ?? 'light' });

export function turnTheme() {
	theme.mode = theme.mode === 'dark' ? 'light' : 'dark';
	root.setAttribute('data-mode', theme.mode);
	localStorage.setItem('mode', theme.mode);
}
