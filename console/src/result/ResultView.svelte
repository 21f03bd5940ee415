<script lang="ts">
	// What a run found: how many records, their edges and totals, the records
	// themselves, their chart and their pages; and why there are none.
	import { takeFile, Refusal, type FileFormat, type Inputs, type Target } from '../lib/api';
	import ChartView from './ChartView.svelte';
	import Edges from './Edges.svelte';
	import NothingFound from './NothingFound.svelte';
	import PaperView from './PaperView.svelte';
	import ResultTable from './ResultTable.svelte';
	import { mostRows, type Run } from './run.svelte';
	import { countText, stampText, totalsText } from '../lib/text';

	let {
		target,
		run,
		inputs,
		sort,
		onsort,
		onway,
	}: {
		target: Target;
		run: Run;
		/** The answers and the order of the run that is shown. */
		inputs: Inputs;
		sort: string[];
		onsort: (sort: string[]) => void;
		onway: (answers: Record<string, string>) => void;
	} = $props();

	type View = 'table' | 'chart' | 'pages';
	let wanted = $state<View>('table');
	const views = $derived<{ name: View; label: string }[]>([
		{ name: 'table', label: 'Records' },
		...(run.summary?.chart?.points?.length ? [{ name: 'chart' as const, label: 'Chart' }] : []),
		{ name: 'pages', label: 'Pages' },
	]);
	const view = $derived(run.summary && views.some((v) => v.name === wanted) ? wanted : 'table');

	const formats: FileFormat[] = ['csv', 'xlsx', 'json', 'pdf'];
	let saving = $state('');
	let failure = $state('');
	let copied = $state(false);
	/** Saves the whole result of the run's answers as a file. */
	async function save(format: FileFormat) {
		saving = format;
		failure = '';
		try {
			const address = URL.createObjectURL(await takeFile(target, inputs, sort, format));
			const anchor = document.createElement('a');
			anchor.href = address;
			anchor.download = `${target.report}.${format}`;
			anchor.click();
			setTimeout(() => URL.revokeObjectURL(address), 60_000);
		} catch (error) {
			failure = error instanceof Refusal ? error.message : 'The file broke off: ' + error;
		}
		saving = '';
	}
	async function copyLink() {
		try {
			await navigator.clipboard.writeText(location.href);
			copied = true;
			setTimeout(() => (copied = false), 2000);
		} catch {
			failure = 'The link could not be copied; it is the address of this page.';
		}
	}
</script>

{#if run.header}
	<p class="text-sm">{run.header.readback}</p>
	<p role="status" data-outcome={run.summary?.outcome ?? run.state}>
		{#if run.state === 'running'}
			<strong>{countText(run.count)}</strong> records so far, {(run.spent / 1000).toFixed(1)} s …
		{:else if run.summary && !run.failure}
			{#if run.summary.count === 0}
				<strong>No records.</strong>
				{run.summary.reason ?? 'Nothing matches all of these criteria.'}
			{:else}
				<strong data-count={run.summary.count}>{countText(run.summary.count)}</strong>
				{run.summary.count === 1 ? 'record' : 'records'}{#if run.summary.first}, first
					<time class="tabular-nums" data-first datetime={run.summary.first}>{stampText(run.summary.first)}</time>, last
					<time class="tabular-nums" data-last datetime={run.summary.last}>{stampText(run.summary.last)}</time>{/if}.
			{/if}
			<span class="muted text-sm">Run {run.header.run}, {run.summary.ms} ms, days and times in {run.header.zone}.</span>
		{/if}
	</p>
	{#if run.summary?.totals?.length}
		<p class="text-sm" data-totals>{totalsText(run.summary.totals, run.count)}</p>
	{/if}
	{#if run.summary?.left_out}
		{@const left = run.summary.left_out}
		<p class="text-sm" data-left-out>
			{#if left.records}{left.at_least ? 'At least ' : ''}<strong>{countText(left.records)}</strong>
				{left.records === 1
					? 'record was left out because its date'
					: 'records were left out because their dates'}{:else}Records were not counted whose dates{/if} in
			{(left.columns ?? []).join(', ')} cannot be read.
		</p>
	{/if}
	{#if run.summary?.edges}<Edges edges={run.summary.edges} />{/if}
	{#if run.failure}<p role="alert" class="text-error-700-300">{run.failure}</p>{/if}
	{#if run.summary?.outcome === 'done'}
		<div class="flex flex-wrap items-center gap-x-6 gap-y-2 text-sm">
			<div role="tablist" aria-label="How the result is shown" class="flex gap-1">
				{#each views as v (v.name)}
					<button
						type="button"
						role="tab"
						id="tab-{v.name}"
						aria-selected={view === v.name}
						aria-controls="shown-result"
						tabindex={view === v.name ? 0 : -1}
						class="btn btn-sm {view === v.name ? 'preset-filled-primary-700-300' : 'preset-tonal'}"
						onclick={() => (wanted = v.name)}
						onkeydown={(e) => {
							const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
							if (!by) return;
							const next = views[(views.findIndex((o) => o.name === view) + by + views.length) % views.length]!;
							wanted = next.name;
							document.getElementById('tab-' + next.name)?.focus();
						}}>{v.label}</button
					>
				{/each}
			</div>
			<div class="flex flex-wrap items-center gap-2">
				<span class="muted">Take away:</span>
				{#each formats as format (format)}
					<button type="button" class="btn btn-sm preset-tonal" disabled={saving !== ''} onclick={() => save(format)}
						>{saving === format ? 'Saving …' : format.toUpperCase()}</button
					>
				{/each}
				<button type="button" class="btn btn-sm preset-tonal" onclick={copyLink}
					>{copied ? 'Copied' : 'Copy link'}</button
				>
			</div>
			{#if failure}<span role="alert" class="text-error-700-300">{failure}</span>{/if}
		</div>
	{/if}
	{#if run.summary?.outcome === 'empty'}<NothingFound run={run.header.run} {onway} />{/if}
	{#if run.count > mostRows}<p class="text-sm">
			The first {countText(mostRows)} are shown here; a file has all of them.
		</p>{/if}
	{#if run.count > 0}
		<div id="shown-result" role="tabpanel" aria-label="The result" class="h-[70dvh] min-h-0 lg:h-auto lg:grow">
			{#if view === 'chart' && run.summary?.chart}
				<ChartView chart={run.summary.chart} />
			{:else if view === 'pages' && run.summary}
				<PaperView header={run.header} summary={run.summary} rows={run.rows} />
			{:else}
				<ResultTable
					report={target.report}
					columns={run.header.columns ?? []}
					rows={run.rows}
					kept={run.kept}
					title={run.header.title}
					{sort}
					{onsort}
				/>
			{/if}
		</div>
	{/if}
{:else if run.failure && run.problems.length === 0}
	<p role="alert" class="text-error-700-300">{run.failure}</p>
{:else}
	<div class="muted panel grid grow place-items-center p-8 text-center">The records will stand here.</div>
{/if}
