<script lang="ts">
	// A report: its questions, and what a run of it found. Until there is a result
	// the questions stand open; then they fold to a line of answers, each of which
	// opens its fields beneath.
	import { tick, untrack } from 'svelte';
	import { push, replace, router } from 'svelte-spa-router';
	import type { Inputs, SavedAnswers, Summary } from '../lib/api';
	import { account } from '../lib/account.svelte';
	import AnswerLine from '../ask/AnswerLine.svelte';
	import { Form } from '../ask/form.svelte';
	import Question from '../ask/Question.svelte';
	import ReadBack from '../ask/ReadBack.svelte';
	import { fillWith, SavedList } from '../ask/saved.svelte';
	import Saved from '../ask/Saved.svelte';
	import Unread from '../ask/Unread.svelte';
	import { commandLine, httpRequest, reportAddress, sortOf } from '../lib/link';
	import Dialog from '../parts/Dialog.svelte';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import Explanation from '../result/Explanation.svelte';
	import Export from '../result/Export.svelte';
	import { Run } from '../result/run.svelte';

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
	let sending = $state(false);
	const run = new Run();
	let ran = $state.raw<Inputs>();
	/** Whether the questions are folded to a line, and the one whose fields are open. */
	let folded = $state(false);
	let opened = $state('');
	/** The order the reader chose, empty for the report's own. */
	let sort = $state.raw<string[]>([]);
	/** The part of the address the form was last filled from, or written to. */
	let filled = '';

	$effect(() => {
		filled = '';
		folded = false;
		opened = '';
		const stop = form.open(target);
		return () => {
			stop();
			run.stop();
		};
	});
	$effect(() => form.noteCleared());

	const saved = new SavedList();
	$effect(() => saved.open(target));
	$effect(() => {
		if (report && !router.querystring) saved.begin(target, form);
	});
	/** Fills the fields with saved answers, and runs where a result stands. */
	async function choose(answers: SavedAnswers) {
		fillWith(form, answers);
		await tick();
		if (folded) await submit();
	}
	$effect(() => (report ? form.readSoon(target) : undefined));
	$effect(() => {
		if (!run.header || untrack(() => folded)) return;
		folded = true;
		// The field that had the focus is gone.
		tick().then(() => {
			if (document.activeElement === document.body)
				document.querySelector<HTMLElement>('form [type=submit]')?.focus({ preventScroll: true });
		});
	});

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
		if (query) untrack(() => tick().then(() => start()));
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

	// Where the reader wants it, a result follows the answers once they can be read: the
	// last ones count, and what they replace is cancelled.
	const renewKey = () => `renews:${account.me?.name ?? ''}`;
	let renews = $state(localStorage.getItem(renewKey()) === 'yes');
	function keepRenewing(yes: boolean) {
		renews = yes;
		if (yes) localStorage.setItem(renewKey(), 'yes');
		else localStorage.removeItem(renewKey());
	}
	$effect(() => {
		if (!renews || !folded || !preview || preview.problems?.length) return;
		untrack(() => {
			if (!stale) return;
			filled = form.query(sort);
			replace(`${reportAddress(target)}?${filled}`);
			start(true);
		});
	});

	/** What shows a result, fetched when there is going to be one. */
	let view = $state.raw<typeof import('../result/ResultView.svelte')>();
	async function start(renewing = false) {
		import('../result/ResultView.svelte').then(
			(module) => (view = module),
			() => (form.read.failure = 'A part of this page could not be loaded. Reload it.'),
		);
		form.tried = true;
		ran = form.inputs;
		const focused = document.activeElement;
		await run.start(target, ran, sort);
		if (run.summary && !run.failure) onran?.(ran, run.summary, report!.today);
		if (run.problems.length && !stale) {
			// what was typed meanwhile is read by itself
			form.refuse(run.problems);
			opened = form.questions.find((q) => form.problemsOf(q).length)?.name ?? opened;
			await tick();
			// Whoever has gone on to another field meanwhile stays in it.
			if ([focused, document.body].includes(document.activeElement))
				document.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus();
		} else if (!run.problems.length && !renewing) opened = '';
	}

	/** Takes answers with which there are records, and runs with them. */
	async function take(answers: Record<string, string>) {
		form.take(answers);
		await tick();
		await submit();
	}

	// What was shown is of other answers than those that stand in the fields now.
	const stale = $derived(!!ran && JSON.stringify(ran) !== JSON.stringify(form.inputs));
	const isRunning = $derived(run.state === 'running');
</script>

<svelte:head><title>{report?.title ?? name} · Pike Gate</title></svelte:head>

{#snippet savedAnswers(up: boolean)}
	{#if !draft && report}<Saved
			{target}
			folder={report.folder}
			list={saved.answers.value ?? []}
			inputs={form.inputs}
			{up}
			onchoose={choose}
			onchange={() => saved.answers.again()}
		/>{/if}
{/snippet}

<div class="grid grid-cols-1 gap-3.5 p-4 sm:px-5 lg:flex lg:h-full lg:flex-col" data-asking={!folded}>
	{#if !report}
		<Pending of={form.report} lines={6} />
	{:else}
		<PageHead title={report.title} about={report.about}>
			{#if folded}
				<button type="button" class="button-quiet" onclick={() => (explaining = true)}>Explain</button>
				{#if !draft}<button
						type="button"
						class="button"
						data-send
						disabled={!run.summary}
						onclick={() => (sending = true)}>Send me this …</button
					>{/if}
				<Export
					{target}
					inputs={ran ?? form.inputs}
					{sort}
					charted={!!run.summary?.chart?.points?.length}
					disabled={run.summary?.outcome !== 'done'}
				/>
			{/if}
		</PageHead>
		{#if folded}
			<AnswerLine {target} {form} today={report.today} bind:opened onsubmit={submit}>
				{#snippet side()}
					<button type="button" class="button {isRunning ? '' : 'invisible'}" onclick={() => run.stop()}>Stop</button>
					{#if stale && !renews}<span class="muted text-[13px]">Answers changed</span>{/if}
					<label class="muted flex min-h-8 items-center gap-1.5 text-[13px] max-sm:min-h-11"
						><input
							type="checkbox"
							name="renews"
							checked={renews}
							onchange={(e) => keepRenewing(e.currentTarget.checked)}
						/> Renew as I change</label
					>
					{@render savedAnswers(false)}
					<button type="submit" class="button-act">Run</button>
				{/snippet}
			</AnswerLine>
			<section class="flex min-w-0 grow flex-col gap-3 lg:min-h-96 lg:basis-0" aria-label="Result">
				{#if view}
					<view.default
						{target}
						{run}
						{sort}
						onsort={(keys) => {
							sort = keys;
							submit();
						}}
						onway={take}
					/>
				{/if}
				{#if draft && ran && run.state === 'ended' && run.problems.length === 0}
					<details open class="panel shrink-0 p-3 lg:max-h-72 lg:overflow-y-auto" data-explained>
						<summary><h2 class="inline font-semibold">How this result comes about</h2></summary>
						{@render explanation(ran)}
					</details>
				{/if}
			</section>
		{:else}
			<div class="grid min-h-0 grow grid-cols-1 gap-4.5 lg:grid-cols-[460px_minmax(0,1fr)]">
				<form
					class="panel flex flex-col gap-4 px-4 pt-4 max-sm:pb-36 sm:px-4.5 lg:max-h-full lg:overflow-y-auto"
					onsubmit={submit}
					novalidate
				>
					{#each form.questions as question (question.name)}
						<Question {target} {form} {question} today={report.today} />
					{/each}
					<div
						class="bg-sheet border-line sticky bottom-0 -mx-4 mt-auto space-y-2.5 border-t px-4 py-3 max-sm:fixed max-sm:inset-x-0 max-sm:z-20 max-sm:mx-0 sm:-mx-4.5 sm:px-4.5"
					>
						<ReadBack {form} class="min-h-10 px-3 py-2" />
						<div class="flex gap-2">
							<button type="submit" class="button-act max-sm:grow">Run</button>
							{#if isRunning}<button type="button" class="button" onclick={() => run.stop()}>Stop</button>{/if}
							<button
								type="button"
								class="button-quiet"
								disabled={!preview?.readback}
								onclick={() => (explaining = true)}>Explain</button
							>
							<span class="ml-auto">{@render savedAnswers(true)}</span>
						</div>
						<Unread {form} />
					</div>
				</form>
				<section class="grid min-w-0 content-stretch" aria-label="Result">
					{#if run.failure && run.problems.length === 0}<p role="alert" class="wash-bad">{run.failure}</p>
					{:else}<Empty>{isRunning ? 'Asking the database …' : 'Records appear here.'}</Empty>{/if}
				</section>
			</div>
		{/if}
	{/if}
</div>
{#if sending}
	{#await import('../schedule/SendMe.svelte') then { default: SendMe }}
		<SendMe {target} inputs={ran ?? form.inputs} questions={form.questions} onclose={() => (sending = false)} />
	{/await}
{/if}
{#if explaining}
	<Dialog title="How this result comes about" side onclose={() => (explaining = false)}
		>{@render explanation(folded && ran ? ran : form.inputs)}</Dialog
	>
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
