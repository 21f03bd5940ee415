<script lang="ts">
	import { tick, untrack } from 'svelte';
	import { push, replace, router } from 'svelte-spa-router';
	import {
		askReport,
		previewReport,
		type Inputs,
		type Preview,
		type Problem,
		type Question,
		type ReportForm,
		type Summary,
	} from '../lib/api';
	import CoverageStrip from '../ask/CoverageStrip.svelte';
	import DateField from '../ask/DateField.svelte';
	import Explain from '../result/Explain.svelte';
	import Explanation from '../result/Explanation.svelte';
	import { commandLine, fromQuery, httpRequest, reportAddress, sortOf, toQuery } from '../lib/link';
	import PeriodField, { emptyPeriod, type PeriodText } from '../ask/PeriodField.svelte';
	import Problems from '../lib/Problems.svelte';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../lib/Pending.svelte';
	import ResultView from '../result/ResultView.svelte';
	import { Run } from '../result/run.svelte';
	import { stampText } from '../lib/text';
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

	const form = new Loaded<ReportForm>();
	const sheet = $derived(form.value);
	let periods = $state<Record<string, PeriodText>>({});
	let texts = $state<Record<string, string[]>>({});
	/** Questions answered by nothing, though they have a default. */
	let nones = $state<Record<string, boolean>>({});
	const read = new Loaded<Preview>();
	const preview = $derived(read.value);
	let tried = $state(false);
	let explaining = $state(false);
	const run = new Run();
	let ran = $state.raw<Inputs>();
	let result = $state<HTMLElement>();
	/** The order the reader chose, empty for the report's own. */
	let sort = $state.raw<string[]>([]);
	/** The part of the address the form was last filled from, or written to. */
	let filled = '';

	$effect(() => {
		const asked = target;
		form.forget();
		read.forget();
		const stop = form.ask(
			(signal) => askReport(asked, signal),
			(s) => {
				filled = '';
				({ periods, texts, nones } = fromQuery(s.questions ?? [], ''));
			},
		);
		return () => {
			stop();
			run.stop();
		};
	});

	function answer(q: Question): Inputs[string] | undefined {
		if (!open(q)) return undefined;
		return typed(q) ?? (nones[q.name] ? '' : undefined);
	}
	/** What stands in a question's fields. */
	function typed(q: Question): Inputs[string] | undefined {
		if (q.kind !== 'period') return texts[q.name]?.some((t) => t) ? texts[q.name] : undefined;
		const { start, end, words } = periods[q.name] ?? emptyPeriod();
		if (words) return words;
		return start || end ? { start, end } : undefined;
	}
	/** What a question left blank does, said before it is left so. */
	function blankMeans(q: Question): string {
		if (q.default?.length && !nones[q.name]) return `Left as it is, it means ${q.default.join(', ')}.`;
		if (q.required) return '';
		if (q.when_blank === 'match_blank') return 'Left blank, it asks for records that are blank there.';
		return 'Left blank, it restricts nothing.';
	}
	/** What an answer must keep to, said before it is typed. */
	function limits(q: Question): string {
		const l = q.limits;
		const [from, to] = [stampText(q.earliest), stampText(q.latest)];
		const parts = [
			from && to ? `from ${from} through ${to}` : from ? `from ${from} on` : to ? `through ${to}` : '',
			l.longest ? `at most ${l.longest}${q.kind === 'text' ? ' characters' : ''}` : '',
			l.shortest ? `at least ${l.shortest}` : '',
			l.least ? `${l.least} or more` : '',
			l.most ? `${l.most} or less` : '',
			l.most_chosen ? `at most ${l.most_chosen} answers` : '',
			q.kind === 'period' && l.ends !== 'closed' ? 'an end may be left open' : '',
		].filter(Boolean);
		const text = parts.join(', ');
		return text && text.charAt(0).toUpperCase() + text.slice(1) + '.';
	}
	const open = (q: Question) => q.shown !== 'stated' && !q.derive;
	const inputs = $derived.by(() => {
		const out: Inputs = {};
		for (const q of sheet?.questions ?? []) {
			const given = answer(q);
			if (given !== undefined) out[q.name] = given;
		}
		return out;
	});

	// A field that is cleared is answered by nothing: its default comes back only
	// when it is asked for.
	const had: Record<string, boolean> = {};
	$effect(() => {
		for (const q of sheet?.questions ?? []) {
			if (!q.default?.length) continue;
			const has = typed(q) !== undefined;
			if (has) nones[q.name] = false;
			else if (had[q.name]) nones[q.name] = true;
			had[q.name] = has;
		}
	});

	// The read-back follows the typing; an answer that comes late is dropped.
	$effect(() => {
		if (!sheet) return;
		const asked = inputs;
		let stop = () => {};
		const timer = setTimeout(() => (stop = read.ask((signal) => previewReport(target, asked, signal))), 120);
		return () => {
			clearTimeout(timer);
			stop();
		};
	});

	// What is merely not filled in yet is told once a run was tried.
	const waiting = ['missing', 'start_missing', 'end_missing'];
	const problems = $derived((preview?.problems ?? []).filter((p) => tried || !waiting.includes(p.code)));
	const of = (q: Question): Problem[] =>
		problems.filter((p) => p.field === q.name || p.field?.startsWith(q.name + '.'));
	const elsewhere = $derived(problems.filter((p) => !(sheet?.questions ?? []).some((q) => of(q).includes(p))));
	const day = (text?: string) => (/^\d{4}-\d\d-\d\d$/.test(text ?? '') ? text : undefined);
	const answerOf = (q: Question) => preview?.answers?.find((a) => a.name === q.name);

	// The address has the answers of the last run: a link, a reload, Back and
	// Forward fill the form from it and run.
	$effect(() => {
		const query = router.querystring ?? '';
		if (!sheet || query === filled || decodeURIComponent(router.location) !== decodeURIComponent(reportAddress(target)))
			return;
		filled = query;
		sort = sortOf(query);
		for (const name in had) delete had[name];
		({ periods, texts, nones } = fromQuery(sheet.questions ?? [], query));
		if (query) untrack(() => tick().then(start));
	});

	function submit(event?: Event) {
		event?.preventDefault();
		const query = toQuery(sheet?.questions ?? [], { periods, texts, nones }, sort);
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
		tried = true;
		ran = inputs;
		// On a narrow screen the records stand below the questions.
		if (!matchMedia('(min-width: 64rem)').matches) result?.scrollIntoView();
		await run.start(target, ran, sort);
		if (run.summary && !run.failure) onran?.(ran, run.summary, sheet!.today);
		if (run.problems.length) {
			if (preview) read.value = { ...preview, problems: run.problems };
			document.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus();
		}
	}

	/** Takes answers with which there are records, and runs with them. */
	async function take(answers: Record<string, string>) {
		for (const q of sheet?.questions ?? []) {
			const text = answers[q.name];
			if (text === undefined) continue;
			if (q.kind === 'period') periods[q.name] = { ...emptyPeriod(), words: text };
			else texts[q.name] = [text];
		}
		await tick();
		await submit();
	}
</script>

<svelte:head><title>{sheet?.title ?? name} · Pike Gate</title></svelte:head>

<div class="p-4 empty:hidden" class:hidden={!!sheet}><Pending of={form} /></div>
{#if sheet}
	<div class="flex flex-col gap-4 p-4 lg:h-full lg:flex-row">
		<form class="w-full shrink-0 space-y-4 lg:w-96 lg:overflow-y-auto lg:pr-1" onsubmit={submit} novalidate>
			<div>
				<h1 class="text-xl font-semibold">{sheet.title}</h1>
				<p class="muted text-sm">{sheet.about ?? ''}</p>
			</div>
			{#each sheet.questions ?? [] as question (question.name)}
				<section aria-labelledby="label-{question.name}" class="space-y-1.5">
					<h2 id="label-{question.name}" class="font-semibold">
						{question.label}
						<span class="muted text-sm font-normal"
							>{open(question) ? (question.required ? 'needed' : 'may be left blank') : 'set by the report'}</span
						>
					</h2>
					{#if question.help}<p class="muted text-sm">{question.help}</p>{/if}
					{#if open(question) && (limits(question) || blankMeans(question))}<p class="muted text-sm">
							{limits(question)}
							{blankMeans(question)}
						</p>{/if}
					{#if open(question) && question.default?.length && typed(question) === undefined}
						{@const none = nones[question.name]}
						<button
							type="button"
							class="text-sm underline"
							data-none={none ? 'yes' : 'no'}
							onclick={() => (nones[question.name] = !none)}
							>{none ? `Use ${question.default.join(', ')}` : 'Answer nothing instead'}</button
						>
					{/if}
					{#if question.include_blanks}<p class="muted text-sm">
							Records that are blank there are always included.
						</p>{/if}
					{#if !open(question)}
						<p class="panel px-2.5 py-1.5">{answerOf(question)?.readback ?? question.default_readback ?? ''}</p>
					{:else if question.kind === 'period'}
						<PeriodField
							{target}
							{question}
							{inputs}
							bind:value={periods[question.name]!}
							answer={answerOf(question)}
							problems={of(question)}
							today={sheet.today}
						/>
						{#if !question.limits.whole}
							<CoverageStrip
								{target}
								question={question.name}
								{inputs}
								from={answerOf(question)?.from ?? day(periods[question.name]?.start)}
								through={answerOf(question)?.through ?? day(periods[question.name]?.end)}
								onchoose={(start, end) => (periods[question.name] = { start, end, words: '' })}
							/>
						{/if}
					{:else if question.kind === 'date' && !question.many}
						<DateField
							id="q-{question.name}"
							label={question.label}
							quiet
							bind:value={() => texts[question.name]?.[0] ?? '', (text) => (texts[question.name] = text ? [text] : [])}
							read={answerOf(question)?.canonical?.[0]}
							earliest={question.earliest}
							latest={question.latest}
							today={sheet.today}
							problem={of(question).length > 0}
						/>
						<Problems
							id="q-{question.name}-problems"
							problems={of(question)}
							onfix={(fix) => (texts[question.name] = [fix.text])}
						/>
					{:else}
						<TextField {target} {question} {inputs} bind:value={texts[question.name]!} problems={of(question)} />
					{/if}
				</section>
			{/each}
			<div class="bg-surface-50-950 sticky bottom-0 space-y-2 py-2">
				<p id="readback" aria-live="polite" class="panel bg-surface-100-900 min-h-10 px-3 py-2 text-sm" data-readback>
					{#if preview?.readback}{preview.readback}{:else if problems.length}{problems.length === 1
							? 'One answer needs another look.'
							: `${problems.length} answers need another look.`}{:else}Fill in what is needed; what will be selected is
						read back here.{/if}
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
				{#if read.failure}<p role="alert" class="text-error-700-300 text-sm" data-unread>
						{read.failure} What you typed stays here.
					</p>{/if}
				{#each elsewhere as problem (problem.code + problem.field)}
					<p class="text-error-700-300 text-sm">{problem.field}: {problem.message}</p>
				{/each}
			</div>
		</form>

		<section bind:this={result} class="flex min-h-0 min-w-0 grow flex-col gap-2" aria-label="Result">
			<ResultView
				{target}
				{run}
				inputs={ran ?? inputs}
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
	{#if explaining}<Explain onclose={() => (explaining = false)}>{@render explanation(inputs)}</Explain>{/if}
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
