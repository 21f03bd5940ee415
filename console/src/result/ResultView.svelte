<script lang="ts">
	// What a run found: its facts, the records themselves, their chart and their
	// pages; and why there are none.
	import type { Target } from '../lib/api';
	import { countText, recordsText } from '../lib/text';
	import Facts from '../parts/Facts.svelte';
	import { factsOf, uncountedText } from './facts';
	import NothingFound from './NothingFound.svelte';
	import RecordList from './RecordList.svelte';
	import ResultTable from './ResultTable.svelte';
	import { mostRows, type Run } from './run.svelte';

	let {
		target,
		run,
		sort,
		onsort,
		onway,
	}: {
		target: Target;
		run: Run;
		/** The order of the run that is shown. */
		sort: string[];
		onsort: (sort: string[]) => void;
		onway: (answers: Record<string, string>) => void;
	} = $props();

	const phone = matchMedia('(max-width: 40rem)');
	let narrow = $state(phone.matches);
	$effect(() => {
		const turned = () => (narrow = phone.matches);
		phone.addEventListener('change', turned);
		return () => phone.removeEventListener('change', turned);
	});

	type View = 'table' | 'chart' | 'pages';
	let wanted = $state<View>('table');
	const views = $derived<{ name: View; label: string }[]>([
		{ name: 'table', label: 'Records' },
		{ name: 'pages', label: 'Pages' },
		// Last: known only at the end of a run, and the others keep their places.
		...(run.summary?.chart?.points?.length ? [{ name: 'chart' as const, label: 'Chart' }] : []),
	]);
	const view = $derived(run.summary && views.some((v) => v.name === wanted) ? wanted : 'table');
	const zone = $derived(run.header?.zone ?? '');
	// Beside the records, not among the facts: it is known only at the end, and moves nothing.
	const uncounted = $derived(run.summary ? uncountedText(run.summary) : '');
	// Told once, at the end: a counter that runs is not.
	const said = $derived(
		run.state !== 'ended' || !run.summary
			? ''
			: run.summary.count === 0
				? 'No records.'
				: `${recordsText(run.summary.count)}.`,
	);
	function turn(event: KeyboardEvent) {
		const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
		if (!by) return;
		const next = views[(views.findIndex((o) => o.name === view) + by + views.length) % views.length]!;
		wanted = next.name;
		document.getElementById('tab-' + next.name)?.focus();
	}
</script>

<p role="status" class="sr-only">{said}</p>
<div class="flex shrink-0 flex-col gap-3" data-outcome={run.summary?.outcome ?? run.state}>
	{#if run.failure && run.problems.length === 0}<p role="alert" class="wash-bad">{run.failure}</p>{/if}
	{#if run.summary && run.header && run.summary.outcome === 'empty'}
		<p class="panel px-4 py-3">
			<strong>No records.</strong>
			{run.summary.reason ?? 'Nothing matches all of these criteria.'}
			{#if uncounted}<span class="text-ink-3">Also: {uncounted}.</span>{/if}
		</p>
	{:else if run.summary && !run.failure}
		<Facts facts={factsOf(run.summary, run.header ?? {})} />
	{:else if run.state === 'running'}
		<Facts
			facts={[
				{ label: 'Records so far', value: countText(run.count), main: true },
				{ label: 'Running for', value: `${(run.spent / 1000).toFixed(1)} s` },
			]}
		/>
	{/if}
	{#if run.header?.restricted}<p class="text-ink-2 text-[13px]" data-restricted>{run.header.restricted}</p>{/if}
	{#if run.summary?.outcome === 'empty' && run.summary.left_out?.records}
		<Facts facts={factsOf(run.summary, run.header ?? {}).filter((f) => f.mark === 'left-out')} />
	{/if}
</div>
{#if run.header}
	{#if run.summary?.outcome === 'empty'}<NothingFound run={run.header.run} {onway} />{/if}
	{#if run.count > 0}
		<div class="border-line flex shrink-0 flex-wrap items-end gap-x-4 border-b">
			<div role="tablist" aria-label="How the result is shown" class="flex gap-1">
				{#each views as v (v.name)}
					<button
						type="button"
						role="tab"
						id="tab-{v.name}"
						aria-selected={view === v.name}
						aria-controls="shown-result"
						tabindex={view === v.name ? 0 : -1}
						class="-mb-px min-h-9 border-b-2 px-3.5 text-sm {view === v.name
							? 'border-act font-semibold'
							: 'text-ink-2 hover:text-ink border-transparent'}"
						onclick={() => (wanted = v.name)}
						onkeydown={turn}>{v.label}</button
					>
				{/each}
			</div>
			<p class="text-ink-3 min-w-0 grow py-2 text-right text-[13px]" data-uncounted>{uncounted}</p>
			<p class="text-ink-3 py-2 text-[13px]">
				Run {run.header.run}{run.summary ? ` · ${run.summary.ms} ms` : ''} · times in {zone}
			</p>
		</div>
		{#if run.count > mostRows}<p class="text-sm">
				The first {countText(mostRows)} records are shown here; a file has all of them.
			</p>{/if}
		<div id="shown-result" role="tabpanel" aria-label="The result" class="h-[70dvh] min-h-0 lg:h-auto lg:grow">
			{#if view === 'chart' && run.summary?.chart}
				{#await import('./ChartView.svelte') then { default: ChartView }}
					<ChartView chart={run.summary.chart} place={run.header} />
				{/await}
			{:else if view === 'pages' && run.summary}
				{#await import('./PaperView.svelte') then { default: PaperView }}
					<PaperView header={run.header} asked={run.asked!} />
				{/await}
			{:else if narrow}
				<RecordList
					columns={run.header.columns ?? []}
					rows={run.rows}
					kept={run.kept}
					title={run.header.title}
					place={run.header}
				/>
			{:else}
				<ResultTable
					report={target.report}
					columns={run.header.columns ?? []}
					rows={run.rows}
					kept={run.kept}
					title={run.header.title}
					locale={run.header}
					groups={run.header.groups ?? []}
					links={run.header.links ?? []}
					{sort}
					onsort={run.header.across ? undefined : onsort}
				/>
			{/if}
		</div>
	{/if}
{/if}
