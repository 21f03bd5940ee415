<script lang="ts">
	// One run in full: everything needed to explain and to repeat it.
	import { link } from 'svelte-spa-router';
	import { showRun, type RunRecord } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../lib/Pending.svelte';
	import Asked from '../ask/Asked.svelte';
	import Edges from '../result/Edges.svelte';
	import { reportLink } from '../lib/link';
	import Statement from '../result/Statement.svelte';
	import { countText, outcomeText, stampText } from '../lib/text';

	let { params }: { params: { run: string } } = $props();

	const loaded = new Loaded<RunRecord>();
	const run = $derived(loaded.value);
	$effect(() => {
		const number = Number(params.run);
		loaded.forget();
		return loaded.ask((signal) => showRun(number, signal));
	});
	const when = new Intl.DateTimeFormat(navigator.language, { dateStyle: 'full', timeStyle: 'long' });
	const said = (value: unknown): string => {
		if (value === null || value === undefined || value === '') return 'left blank';
		if (Array.isArray(value)) return value.join(', ');
		if (typeof value === 'object') {
			const { start, end } = value as { start?: string; end?: string };
			return [start ? 'from ' + start : '', end ? 'through ' + end : ''].join(' ').trim();
		}
		return String(value);
	};
	// As it was: the words with the days they meant; for today: the words alone.
	// What was left blank then is left blank again, whatever its default is now.
	const blankless = (answers: Record<string, unknown>) =>
		Object.fromEntries(Object.entries(answers).map(([name, value]) => [name, value ?? '']));
	const asItWas = $derived(run ? reportLink(run, { ...run.typed, ...blankless(run.resolved) }) : '');
	const forToday = $derived(run ? reportLink(run, run.typed) : '');
</script>

<svelte:head><title>Run {params.run} · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-4xl space-y-4 p-4">
	<Pending of={loaded} />
	{#if run}
		<div>
			<h1 class="text-2xl font-semibold">Run {run.run}</h1>
			<p class="muted">
				{run.report}, {run.version ? `version ${run.version}` : 'the draft'}, started {when.format(
					new Date(run.started_at),
				)}, read as of {run.as_of} in {run.zone}.
			</p>
		</div>
		<p>{run.readback}</p>
		<p>
			<strong>{outcomeText(run.outcome)}</strong>: {countText(run.count)} records{#if run.first}, first
				<span class="tabular-nums">{stampText(run.first)}</span>, last
				<span class="tabular-nums">{stampText(run.last)}</span>{/if}, {run.ms} ms, as {run.format}.
			{run.reason ?? ''}
			{run.problem ?? ''}
		</p>
		{#if run.edges}<Edges edges={run.edges} />{/if}
		<p class="flex flex-wrap gap-2">
			<a class="btn preset-filled-primary-700-300" href={asItWas} use:link data-repeat="same">Repeat as it was</a>
			<a class="btn preset-tonal" href={forToday} use:link data-repeat="today">Repeat for today</a>
		</p>
		<h2 class="font-semibold">Asked</h2>
		<Asked
			lines={Object.entries(run.resolved).map(([name, value]) => ({
				name,
				typed: said(run?.typed[name]),
				read: said(value),
			}))}
		/>
		{#if run.sql}<Statement sql={run.sql} values={run.values ?? []} />{/if}
	{/if}
</div>
