<script lang="ts">
	import Router, { link, router } from 'svelte-spa-router';
	import { wrap } from 'svelte-spa-router/wrap';
	import Report from './routes/Report.svelte';
	import Reports from './routes/Reports.svelte';
	import RunRecord from './routes/RunRecord.svelte';
	import Runs from './routes/Runs.svelte';
	import { theme, turnTheme } from './lib/theme.svelte';

	const routes = {
		'/': Reports,
		'/reports/:name': Report,
		'/runs': Runs,
		'/runs/:run': RunRecord,
		'/runs/:run/compare/:other': wrap({ asyncComponent: () => import('./routes/Compare.svelte') }),
		'/sources/:source?/:table?': wrap({ asyncComponent: () => import('./routes/Sources.svelte') }),
		'/drafts': wrap({ asyncComponent: () => import('./routes/Drafts.svelte') }),
		'/drafts/report/:name/try': wrap({ asyncComponent: () => import('./routes/Try.svelte') }),
		'/drafts/:kind/:name': wrap({ asyncComponent: () => import('./routes/Draft.svelte') }),
		'*': Reports,
	};

	// On another page the keyboard and the screen reader go on at its beginning.
	let main = $state<HTMLElement>();
	let location = '';
	function arrived() {
		const moved = location !== '' && location !== router.location;
		location = router.location;
		if (moved) main?.focus();
	}
</script>

<button
	type="button"
	class="bg-surface-50-950 sr-only focus:not-sr-only focus:absolute focus:z-50 focus:p-2"
	onclick={() => main?.focus()}>To the content</button
>
<div class="flex min-h-dvh flex-col lg:h-dvh">
	<header class="bg-primary-800 text-surface-50 flex items-center justify-between px-4 py-2">
		<a href="/" use:link class="text-surface-50 font-semibold no-underline">Pike Gate</a>
		<nav class="flex items-center gap-4 text-sm">
			<a href="/" use:link class="text-surface-50">Reports</a>
			<a href="/runs" use:link class="text-surface-50">Runs</a>
			<a href="/drafts" use:link class="text-surface-50">Drafts</a>
			<a href="/sources" use:link class="text-surface-50">Sources</a>
			<button type="button" class="text-surface-50 underline" onclick={turnTheme}
				>{theme.mode === 'dark' ? 'Light' : 'Dark'}</button
			>
		</nav>
	</header>
	<main bind:this={main} tabindex="-1" class="min-h-0 grow focus-visible:outline-none lg:overflow-auto">
		<Router {routes} onRouteLoaded={arrived} />
	</main>
</div>
