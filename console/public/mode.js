// Sets light or dark before the first paint: the choice made last, or else the system's.
(function () {
	var chosen = localStorage.getItem('mode');
	var dark = matchMedia('(prefers-color-scheme: dark)').matches;
	document.documentElement.setAttribute('data-mode', chosen || (dark ? 'dark' : 'light'));
})();
