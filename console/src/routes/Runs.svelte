<script lang="ts">
	// The runs there were, the newest first.
	import { link, push, router } from 'svelte-spa-router';
	import { listReports, listRuns, Refusal, type ReportInfo, type RunRecord } from '../lib/api';
	import { countText, outcomeText } from '../lib/text';

	let runs = $state.raw<RunRecord[]>();
	let reports = $state.raw<ReportInfo[]>([]);
	let failure = $state('');
	const report = $derived(new URLSearchParams(router.querystring ?? '').get('report') ?? '');

	listReports()
		.then((list) => (reports = list))
		.catch(() => undefined); // the list still filters by what it shows
	$effect(() => {
		listRuns({ report }, 200)
			.then((list) => (runs = list))
			.catch((e: Refusal) => (failure = e.message));
	});
	const when = new Intl.DateTimeFormat(navigator.language, { dateStyle: 'medium', timeStyle: 'medium' });
	const titleOf = (name: string) => reports.find((r) => r.name === name)?.title ?? name;
</script>

<svelte:head><title>Runs · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-5xl p-4">
	<div class="mb-4 flex flex-wrap items-end justify-between gap-3">
		<h1 class="text-2xl font-semibold">Runs</h1>
		<select
			class="field max-w-72"
			aria-label="Only runs of"
			value={report}
			onchange={(e) =>
				push('/runs' + (e.currentTarget.value ? '?report=' + encodeURIComponent(e.currentTarget.value) : ''))}
		>
			<option value="">All reports</option>
			{#each reports as r (r.name)}<option value={r.name}>{r.title}</option>{/each}
		</select>
	</div>
	{#if failure}
		<p role="alert" class="text-error-700-300">{failure}</p>
	{:else if runs?.length === 0}
		<p>There is no run yet.</p>
	{:else if runs}
		<ul class="divide-surface-200-800 panel divide-y">
			{#each runs as run (run.run)}
				<li>
					<a href="/runs/{run.run}" use:link class="hover:preset-tonal block px-4 py-2 no-underline">
						<span class="flex flex-wrap justify-between gap-x-4">
							<span class="text-primary-700-300 underline">{run.run} · {titleOf(run.report)}</span>
							<span class="tabular-nums">{outcomeText(run.outcome)}, {countText(run.count)} records</span>
						</span>
						<span class="muted flex flex-wrap justify-between gap-x-4 text-sm">
							<span>{run.readback || run.problem}</span>
							<span class="tabular-nums">{when.format(new Date(run.started_at))}</span>
						</span>
					</a>
				</li>
			{/each}
		</ul>
	{/if}
</div>
