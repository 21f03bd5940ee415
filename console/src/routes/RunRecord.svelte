<script lang="ts">
	// One run in full: everything needed to explain and to repeat it.
	import { link } from 'svelte-spa-router';
	import { showRun, type RunRecord } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
	import Asked from '../ask/Asked.svelte';
	import { factsOf } from '../result/facts';
	import Facts from '../parts/Facts.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import { reportLink } from '../lib/link';
	import Statement from '../result/Statement.svelte';
	import { outcomeText } from '../lib/text';

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

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<Pending of={loaded} lines={6} />
	{#if run}
		<PageHead title="Run {run.run}" about="{run.report}, {run.version ? `version ${run.version}` : 'the draft'}">
			{#if !run.forgotten}
				<a class="button" href={forToday} use:link data-repeat="today">Run again for today</a>
				<a class="button-act" href={asItWas} use:link data-repeat="same">Repeat as it was</a>
			{/if}
		</PageHead>
		<p>{run.readback}</p>
		<Facts
			facts={factsOf({ count: run.count, first: run.first, last: run.last, edges: run.edges }, { zone: run.zone })}
		/>
		{#if run.reason}<p>{run.reason}</p>{/if}
		{#if run.left_out}<p>{run.left_out}</p>{/if}
		{#if run.problem}<p class="wash-bad">{run.problem}</p>{/if}
		<p class="muted text-sm">
			<strong>{outcomeText(run.outcome)}</strong> in {run.ms} ms, as {run.format}. Started {when.format(
				new Date(run.started_at),
			)}; read as of {run.as_of} in {run.zone}.
		</p>
		<section class="panel space-y-4 p-4">
			{#if !run.forgotten}
				<h2 class="font-semibold">Answers</h2>
				<Asked
					lines={Object.entries(run.resolved).map(([name, value]) => ({
						name,
						typed: said(run?.typed[name]),
						read: said(value),
					}))}
				/>
			{/if}
			{#if run.sql}<Statement sql={run.sql} values={run.values ?? []} />{/if}
		</section>
	{/if}
</div>
