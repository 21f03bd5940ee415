<script lang="ts">
	import { tick, untrack } from 'svelte';
	import { push, replace, router } from 'svelte-spa-router';
	import type { Inputs, Summary } from '../lib/api';
	import CoverageStrip from '../ask/CoverageStrip.svelte';
	import DateField from '../ask/DateField.svelte';
	import Explain from '../result/Explain.svelte';
	import Explanation from '../result/Explanation.svelte';
	import { Form, isOpen, limitsOf } from '../ask/form.svelte';
	import { commandLine, httpRequest, reportAddress, sortOf } from '../lib/link';
	import PeriodField from '../ask/PeriodField.svelte';
	import Problems from '../lib/Problems.svelte';
	import Pending from '../lib/Pending.svelte';
	import ResultView from '../result/ResultView.svelte';
	import { Run } from '../result/run.svelte';
	import TextField from '../ask/TextField.svelte';

	let {
		params,
		draft = false,
		onran,
	}: {
		params: { name: string };
		/** Whether what was saved last is meant, and how it comes about is shown. */
		draft?: boolean;
		onran?: (inputs: Inputs, summary: Summary, today: string) => void;
	} = $props();

	const name = $derived(params.name); // another address of the same report changes nothing
	const target = $derived({ report: name, draft });

	const form = new Form();
	const report = $derived(form.report.value);
	const preview = $derived(form.read.value);
	let explaining = $state(false);
	const run = new Run();
	let ran = $state.raw<Inputs>();
	let result = $state<HTMLElement>();
	/** The order the reader chose, empty for the report's own. */
	let sort = $state.raw<string[]>([]);
	/** The part of the address the form was last filled from, or written to. */
	let filled = '';

	$effect(() => {
		filled = '';
		const stop = form.open(target);
		return () => {
			stop();
			run.stop();
		};
	});
	$effect(() => form.noteCleared());
	$effect(() => (report ? form.readSoon(target) : undefined));

	const day = (text?: string) => (/^\d{4}-\d\d-\d\d$/.test(text ?? '') ? text : undefined);

	// The address has the answers of the last run: a link, a reload, Back and
	// Forward fill the form from it and run.
	$effect(() => {
		const query = router.querystring ?? '';
		if (
			!report ||
			query === filled ||
			decodeURIComponent(router.location) !== decodeURIComponent(reportAddress(target))
		)
			return;
		filled = query;
		sort = sortOf(query);
		form.fill(query);
		if (query) untrack(() => tick().then(start));
	});

	function submit(event?: Event) {
		event?.preventDefault();
		const query = form.query(sort);
		if (query !== filled) {
			const first = filled === '';
			filled = query;
			const address = `${reportAddress(target)}?${query}`;
			if (first) replace(address);
			else push(address);
		}
		return start();
	}

	async function start() {
		form.tried = true;
		ran = form.inputs;
		// On a narrow screen the records stand below the questions.
		if (!matchMedia('(min-width: 64rem)').matches) result?.scrollIntoView();
		await run.start(target, ran, sort);
		if (run.summary && !run.failure) onran?.(ran, run.summary, report!.today);
		if (run.problems.length) {
			form.refuse(run.problems);
			document.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus();
		}
	}

	/** Takes answers with which there are records, and runs with them. */
	async function take(answers: Record<string, string>) {
		form.take(answers);
		await tick();
		await submit();
	}
</script>

<svelte:head><title>{report?.title ?? name} · Pike Gate</title></svelte:head>

<div class="p-4 empty:hidden" class:hidden={!!report}><Pending of={form.report} /></div>
{#if report}
	<div class="flex flex-col gap-4 p-4 lg:h-full lg:flex-row">
		<form class="w-full shrink-0 space-y-4 lg:w-96 lg:overflow-y-auto lg:pr-1" onsubmit={submit} novalidate>
			<div>
				<h1 class="text-xl font-semibold">{report.title}</h1>
				<p class="muted text-sm">{report.about ?? ''}</p>
			</div>
			{#each report.questions ?? [] as question (question.name)}
				<section aria-labelledby="label-{question.name}" class="space-y-1.5">
					<h2 id="label-{question.name}" class="font-semibold">
						{question.label}
						<span class="muted text-sm font-normal"
							>{isOpen(question) ? (question.required ? 'needed' : 'may be left blank') : 'set by the report'}</span
						>
					</h2>
					{#if question.help}<p class="muted text-sm">{question.help}</p>{/if}
					{#if isOpen(question) && (limitsOf(question) || form.blankMeans(question))}<p class="muted text-sm">
							{limitsOf(question)}
							{form.blankMeans(question)}
						</p>{/if}
					{#if isOpen(question) && question.default?.length && form.typed(question) === undefined}
						{@const none = form.nones[question.name]}
						<button
							type="button"
							class="text-sm underline"
							data-none={none ? 'yes' : 'no'}
							onclick={() => (form.nones[question.name] = !none)}
							>{none ? `Use ${question.default.join(', ')}` : 'Answer nothing instead'}</button
						>
					{/if}
					{#if question.include_blanks}<p class="muted text-sm">
							Records that are blank there are always included.
						</p>{/if}
					{#if !isOpen(question)}
						<p class="panel px-2.5 py-1.5">{form.readingOf(question)?.readback ?? question.default_readback ?? ''}</p>
					{:else if question.kind === 'period'}
						<PeriodField
							{target}
							{question}
							inputs={form.inputs}
							bind:value={form.periods[question.name]!}
							answer={form.readingOf(question)}
							problems={form.problemsOf(question)}
							today={report.today}
						/>
						{#if !question.limits.whole}
							<CoverageStrip
								{target}
								question={question.name}
								inputs={form.inputs}
								from={form.readingOf(question)?.from ?? day(form.periods[question.name]?.start)}
								through={form.readingOf(question)?.through ?? day(form.periods[question.name]?.end)}
								onchoose={(start, end) => (form.periods[question.name] = { start, end, words: '' })}
							/>
						{/if}
					{:else if question.kind === 'date' && !question.many}
						<DateField
							id="q-{question.name}"
							label={question.label}
							quiet
							bind:value={
								() => form.texts[question.name]?.[0] ?? '', (text) => (form.texts[question.name] = text ? [text] : [])
							}
							read={form.readingOf(question)?.canonical?.[0]}
							earliest={question.earliest}
							latest={question.latest}
							today={report.today}
							problem={form.problemsOf(question).length > 0}
						/>
						<Problems
							id="q-{question.name}-problems"
							problems={form.problemsOf(question)}
							onfix={(fix) => (form.texts[question.name] = [fix.text])}
						/>
					{:else}
						<TextField
							{target}
							{question}
							inputs={form.inputs}
							bind:value={form.texts[question.name]!}
							problems={form.problemsOf(question)}
						/>
					{/if}
				</section>
			{/each}
			<div class="bg-surface-50-950 sticky bottom-0 space-y-2 py-2">
				<p id="readback" aria-live="polite" class="panel bg-surface-100-900 min-h-10 px-3 py-2 text-sm" data-readback>
					{#if preview?.readback}{preview.readback}{:else if form.problems.length}{form.problems.length === 1
							? 'One answer needs another look.'
							: `${form.problems.length} answers need another look.`}{:else}Fill in what is needed; what will be
						selected is read back here.{/if}
				</p>
				<div class="flex gap-2">
					<button type="submit" class="btn preset-filled-primary-700-300">Run</button>
					{#if run.state === 'running'}
						<button type="button" class="btn preset-tonal" onclick={() => run.stop()}>Stop</button>
					{/if}
					<button
						type="button"
						class="btn preset-tonal"
						disabled={!preview?.readback}
						onclick={() => (explaining = true)}>Ask how</button
					>
				</div>
				{#if form.read.failure}<p role="alert" class="text-error-700-300 text-sm" data-unread>
						{form.read.failure} What you typed stays here.
					</p>{/if}
				{#each form.elsewhere as problem (problem.code + problem.field)}
					<p class="text-error-700-300 text-sm">{problem.field}: {problem.message}</p>
				{/each}
			</div>
		</form>

		<section bind:this={result} class="flex min-h-0 min-w-0 grow flex-col gap-2" aria-label="Result">
			<ResultView
				{target}
				{run}
				inputs={ran ?? form.inputs}
				{sort}
				onsort={(keys) => {
					sort = keys;
					submit();
				}}
				onway={take}
			/>
			{#if draft && ran && run.state === 'ended' && run.problems.length === 0}
				<details open class="panel shrink-0 p-3 lg:max-h-72 lg:overflow-y-auto" data-explained>
					<summary class="font-semibold">How this comes about</summary>
					{@render explanation(ran)}
				</details>
			{/if}
		</section>
	</div>
	{#if explaining}<Explain onclose={() => (explaining = false)}>{@render explanation(form.inputs)}</Explain>{/if}
{/if}

{#snippet explanation(asked: Inputs)}
	<Explanation
		{target}
		inputs={asked}
		{sort}
		command={commandLine(target, asked) + '\n\n' + httpRequest(target, asked, sort)}
		spent={run.summary && run.header ? `Run ${run.header.run} took ${run.summary.ms} ms.` : ''}
	/>
{/snippet}
