<script lang="ts">
	// The runs there were, the newest first: filtered, and two of a report chosen
	// to be compared.
	import { link, push, router } from 'svelte-spa-router';
	import { listReports, listRuns, messageOf, type ReportInfo, type RunFilter, type RunSummary } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import { instantText, outcomeText, recordsText } from '../lib/text';

	const pageSize = 100;
	let runs = $state.raw<RunSummary[]>();
	let more = $state(false);
	const reports = new Loaded<ReportInfo[]>(); // without it the list still filters by what it shows
	let failure = $state('');
	/** The runs chosen to be compared, in the order they were chosen. */
	let chosen = $state<RunSummary[]>([]);

	// The address has the filter, so that a link carries it.
	type Field = 'report' | 'outcome' | 'from' | 'through';
	const query = $derived(new URLSearchParams(router.querystring ?? ''));
	const given = (field: Field) => query.get(field) ?? '';
	function choose(field: Field, value: string) {
		const next = new URLSearchParams(query);
		if (value) next.set(field, value);
		else next.delete(field);
		push('/runs' + (next.size ? '?' + next : ''));
	}
	/** A day of the reader's own calendar as the instant it begins, moved by so many days. */
	function beginning(day: string, by: number) {
		const [y, m, d] = day.split('-').map(Number);
		return day ? new Date(y!, m! - 1, d! + by).toISOString() : undefined;
	}
	const filter = $derived<RunFilter>({
		report: given('report'),
		outcome: given('outcome'),
		from: beginning(given('from'), 0),
		until: beginning(given('through'), 1),
	});

	$effect(() => reports.ask(listReports));

	const first = new Loaded<RunSummary[]>();
	$effect(() => {
		const asked = filter;
		return first.ask(
			(signal) => listRuns(asked, pageSize, signal),
			(list) => {
				runs = list;
				more = list.length === pageSize;
			},
		);
	});
	async function older() {
		try {
			const list = await listRuns({ ...filter, before: runs!.at(-1)!.run }, pageSize);
			runs = [...runs!, ...list];
			more = list.length === pageSize;
		} catch (e) {
			failure = messageOf(e);
		}
	}
	const titleOf = (name: string) => (reports.value ?? []).find((r) => r.name === name)?.title ?? name;
	const outcomes = ['done', 'empty', 'failed', 'refused', 'cancelled', 'timed_out', 'stalled', 'stopped', 'running'];
	function mark(run: RunSummary, on: boolean) {
		chosen = on ? [...chosen, run].slice(-2) : chosen.filter((c) => c.run !== run.run);
	}
	const pair = $derived([...chosen].sort((a, b) => a.run - b.run));
	const comparable = $derived(pair.length === 2 && pair[0]!.report === pair[1]!.report);
</script>

<svelte:head><title>Runs · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-3 p-4 sm:px-5">
	<PageHead title="Runs" about="Every run there was, the newest first" />
	<div class="panel flex flex-wrap items-end gap-3 px-3.5 py-2.5 text-[13px]">
		<label class="grow sm:max-w-72"
			>Report
			<select class="field" value={given('report')} onchange={(e) => choose('report', e.currentTarget.value)}>
				<option value="">All reports</option>
				{#each reports.value ?? [] as r (r.name)}<option value={r.name}>{r.title}</option>{/each}
				{#if given('report') && !(reports.value ?? []).some((r) => r.name === given('report'))}
					<option value={given('report')}>{given('report')}</option>
				{/if}
			</select>
		</label>
		<label
			>Ended as
			<select class="field" value={given('outcome')} onchange={(e) => choose('outcome', e.currentTarget.value)}>
				<option value="">Any</option>
				{#each outcomes as outcome (outcome)}<option value={outcome}>{outcomeText(outcome)}</option>{/each}
			</select>
		</label>
		<label
			>From <input
				type="date"
				class="field"
				value={given('from')}
				onchange={(e) => choose('from', e.currentTarget.value)}
			/></label
		>
		<label
			>Through <input
				type="date"
				class="field"
				value={given('through')}
				onchange={(e) => choose('through', e.currentTarget.value)}
			/></label
		>
	</div>
	{#if chosen.length}
		<div class="bg-act-wash rounded-base sticky top-2 z-10 flex flex-wrap items-center gap-3 px-3.5 py-2 text-sm">
			<span role="status"
				>{#if chosen.length === 1}Run {chosen[0]!.run} is chosen; choose another to compare the two.{:else if comparable}Runs
					{pair[0]!.run} and {pair[1]!.run} are chosen.{:else}Runs {pair[0]!.run} and {pair[1]!.run} are of different reports,
					which cannot be compared.{/if}</span
			>
			{#if comparable}<a class="button-act" href="/runs/{pair[0]!.run}/compare/{pair[1]!.run}" use:link>Compare them</a
				>{/if}
			<button type="button" class="underline" onclick={() => (chosen = [])}>Choose none</button>
		</div>
	{/if}
	{#if failure}<p role="alert" class="wash-bad">{failure}</p>{/if}
	<Pending of={first} lines={8} />
	{#if runs?.length === 0}
		<Empty>{query.size ? 'No run matches.' : 'No report was run yet.'}</Empty>
	{:else if runs}
		<ul class="panel divide-line divide-y overflow-hidden">
			{#each runs as run (run.run)}
				<li class="flex items-start gap-1 pl-2">
					<label class="grid min-h-6 min-w-6 place-items-center self-stretch">
						<input
							type="checkbox"
							aria-label="Choose run {run.run} to compare"
							checked={chosen.some((c) => c.run === run.run)}
							onchange={(e) => mark(run, e.currentTarget.checked)}
						/>
					</label>
					<a href="/runs/{run.run}" use:link class="text-ink hover:bg-wash block min-w-0 grow px-3 py-2 no-underline">
						<span class="flex flex-wrap justify-between gap-x-4">
							<span class="font-semibold">{run.run} · {titleOf(run.report)}{run.version ? '' : ' (draft)'}</span>
							<span class="text-sm tabular-nums">{outcomeText(run.outcome)} · {recordsText(run.count)}</span>
						</span>
						<span class="flex flex-wrap justify-between gap-x-4 text-[13px]">
							<span class="muted">{run.readback || run.problem}</span>
							<span class="text-ink-3 tabular-nums">{instantText(run.started_at)}</span>
						</span>
					</a>
				</li>
			{/each}
		</ul>
		{#if more}<button type="button" class="button" onclick={older}>Older runs</button>{/if}
	{/if}
</div>
