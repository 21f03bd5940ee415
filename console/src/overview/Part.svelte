<script lang="ts">
	// A part of an overview: its report, run with the answers of the page for itself.
	import { untrack } from 'svelte';
	import { link } from 'svelte-spa-router';
	import {
		fullMessageOf,
		measurePart,
		runPart,
		type Answer,
		type Figure,
		type Inputs,
		type OverviewPart,
		type Target,
	} from '../lib/api';
	import { partAddress } from '../lib/link';
	import { countText, momentText, recordsText, totalsText } from '../lib/text';
	import RecordList from '../result/RecordList.svelte';
	import ResultTable from '../result/ResultTable.svelte';
	import { Run } from '../result/run.svelte';
	import Measured from './Measured.svelte';

	let {
		target,
		part,
		number,
		asked,
		answers,
		narrow,
	}: {
		target: Target;
		part: OverviewPart;
		/** Its place on the page, from 1. */
		number: number;
		/** What the page was answered with; nothing before it was. */
		asked?: Inputs;
		/** How that was read. */
		answers: Answer[];
		narrow: boolean;
	} = $props();

	/** How many records a part shows; its report has all of them. */
	const most = 500;
	const run = new Run((t, inputs, _, signal) => runPart(t, number, part.show === 'chart' ? 0 : most, inputs, signal));
	let figure = $state.raw<Figure>();
	let failure = $state('');
	let measuring = $state(false);
	let abort: AbortController | undefined;

	function start(inputs: Inputs) {
		if (part.show !== 'number') return void run.start(target, inputs, []);
		abort?.abort();
		const own = (abort = new AbortController());
		measuring = true;
		failure = '';
		measurePart(target, number, inputs, own.signal)
			.then(
				(found) => {
					if (own === abort) figure = found;
				},
				(e) => {
					if (own !== abort) return;
					figure = undefined;
					failure = own.signal.aborted ? 'Stopped.' : fullMessageOf(e);
				},
			)
			.finally(() => {
				if (own === abort) measuring = false;
			});
	}
	function stop() {
		run.stop();
		abort?.abort();
	}
	$effect(() => {
		const inputs = asked;
		if (!inputs || part.problem) return;
		untrack(() => start(inputs));
		return () => untrack(stop);
	});

	const running = $derived(measuring || run.state === 'running');
	// What was found stays until the next comes, so that the page does not jump.
	let shown = $state.raw<{
		header: NonNullable<Run['header']>;
		summary: NonNullable<Run['summary']>;
		rows: Run['rows'];
	}>();
	$effect(() => {
		if (run.state === 'ended' && run.header && run.summary && !run.failure)
			shown = { header: run.header, summary: run.summary, rows: run.rows };
	});
	const wrong = $derived(
		part.problem ||
			failure ||
			(run.state === 'ended' && run.failure
				? run.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ') || run.failure
				: ''),
	);
	const address = $derived(part.report && asked ? partAddress(part, asked, answers) : '');
	const spans = $derived({ third: 'lg:col-span-2', half: 'lg:col-span-3', whole: 'lg:col-span-6' }[part.width]);
	const heights = $derived({ number: 'min-h-36', chart: 'min-h-108', records: 'min-h-40' }[part.show]);
	const rowsHeight = $derived(Math.min(shown?.rows.length ?? 0, 12) * 30 + 44);
</script>

<section
	class="panel flex min-w-0 flex-col gap-2 px-4 py-3 {spans} {heights}"
	aria-label={part.title || `Part ${number}`}
	aria-busy={running}
	data-part={number}
	data-state={running ? 'running' : wrong ? 'failed' : figure || shown ? 'shown' : 'waiting'}
>
	<div class="flex min-h-8 items-center gap-2">
		<h2 class="text-ink-2 min-w-0 grow text-sm font-semibold wrap-anywhere">
			{#if address}<a href={address} use:link class="text-ink-2 hover:underline">{part.title}</a>{:else}{part.title ||
					`Part ${number}`}{/if}
		</h2>
		{#if running}<button type="button" class="button-quiet" onclick={stop}>Stop</button>
		{:else if wrong && !part.problem && asked}<button type="button" class="button-quiet" onclick={() => start(asked)}
				>Try again</button
			>{/if}
	</div>
	{#if wrong}<p role="alert" class="wash-bad text-sm">{wrong}</p>{/if}
	{#if !wrong && part.show === 'number' && figure}
		<a href={address} use:link class="text-ink no-underline {running ? 'opacity-60' : ''}"><Measured {figure} /></a>
	{:else if !wrong && shown}
		{@const { header, summary, rows } = shown}
		<div class="flex min-h-0 grow flex-col gap-2 {running ? 'opacity-60' : ''}">
			{#if summary.count === 0}
				<p><strong>No records.</strong> {summary.reason ?? 'Nothing matches all of these criteria.'}</p>
			{:else if part.show === 'chart'}
				{#await import('../result/ChartView.svelte') then { default: ChartView }}
					{#if summary.chart}<ChartView chart={summary.chart} place={header} />{/if}
				{/await}
			{:else}
				<p class="text-[13px]">
					{recordsText(summary.count)}{#if summary.first}, first {momentText(summary.first, header)}, last {momentText(
							summary.last,
							header,
						)}{/if}{#if summary.totals?.length}
						· {totalsText(summary.totals, summary.count, header)}{/if}{#if summary.count > most && !header.across}
						· the first {countText(most)} are shown here, <a href={address} use:link>the report has all</a>{/if}
				</p>
				<div style:height="{narrow ? Math.min(rows.length, 6) * 60 + 20 : rowsHeight}px">
					{#if narrow}<RecordList
							columns={header.columns ?? []}
							{rows}
							kept={rows.length}
							title={part.title}
							place={header}
						/>{:else}<ResultTable
							report={part.report}
							columns={header.columns ?? []}
							{rows}
							kept={rows.length}
							title={part.title}
							locale={header}
							groups={header.groups ?? []}
							links={header.links ?? []}
						/>{/if}
				</div>
			{/if}
			{#if header.restricted}<p class="text-ink-2 text-[13px]" data-restricted>{header.restricted}</p>{/if}
		</div>
	{:else if !wrong}
		<p class="text-ink-3 text-sm">{running ? 'Asking the database …' : 'Waits for the answers above.'}</p>
	{/if}
</section>
