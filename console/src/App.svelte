<script lang="ts">
	import Router, { link } from 'svelte-spa-router';
	import Report from './routes/Report.svelte';
	import Reports from './routes/Reports.svelte';
	import RunRecord from './routes/RunRecord.svelte';
	import Runs from './routes/Runs.svelte';
	import { theme, turnTheme } from './lib/theme.svelte';

	const routes = { '/': Reports, '/reports/:name': Report, '/runs': Runs, '/runs/:run': RunRecord, '*': Reports };
</script>

<div class="flex min-h-dvh flex-col lg:h-dvh">
	<header class="bg-primary-800 text-surface-50 flex items-center justify-between px-4 py-2">
		<a href="/" use:link class="text-surface-50 font-semibold no-underline">Pike Gate</a>
		<nav class="flex items-center gap-4 text-sm">
			<a href="/" use:link class="text-surface-50">Reports</a>
			<a href="/runs" use:link class="text-surface-50">Runs</a>
			<button type="button" class="text-surface-50 underline" onclick={turnTheme}
				>{theme.mode === 'dark' ? 'Light' : 'Dark'}</button
			>
		</nav>
	</header>
	<main class="min-h-0 grow lg:overflow-auto">
		<Router {routes} />
	</main>
</div>
