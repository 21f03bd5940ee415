<script lang="ts">
	// An overview: its questions on one line, and beneath it the parts, each of which comes
	// when it comes. A change of the answers renews all of them.
	import { push, replace, router } from 'svelte-spa-router';
	import { untrack } from 'svelte';
	import AnswerLine from '../ask/AnswerLine.svelte';
	import { Form } from '../ask/form.svelte';
	import { fillWith, SavedList } from '../ask/saved.svelte';
	import Saved from '../ask/Saved.svelte';
	import type { Inputs, OverviewForm } from '../lib/api';
	import { reportAddress } from '../lib/link';
	import Part from '../overview/Part.svelte';
	import Print from '../overview/Print.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	let { params, draft = false }: { params: { name: string }; draft?: boolean } = $props();

	const name = $derived(params.name); // another address of the same overview changes nothing
	const target = $derived({ report: name, draft, overview: true });
	const form = new Form();
	const overview = $derived(form.report.value as OverviewForm | undefined);
	const preview = $derived(form.read.value);
	let opened = $state('');
	/** What the parts are asked for. */
	let asked = $state.raw<Inputs>();
	/** The part of the address the form was last filled from, or written to. */
	let filled: string | undefined;

	$effect(() => {
		filled = undefined;
		asked = undefined;
		opened = '';
		return form.open(target);
	});
	$effect(() => form.noteCleared());
	$effect(() => {
		const query = router.querystring ?? '';
		const here = decodeURIComponent(router.location) === decodeURIComponent(reportAddress(target));
		if (!overview || query === filled || !here) return;
		filled = query;
		form.fill(query);
	});
	const saved = new SavedList();
	$effect(() => saved.open(target));
	$effect(() => {
		if (overview && !router.querystring) saved.begin(target, form);
	});
	let sending = $state(false);
	$effect(() => (overview && (draft || saved.settled) ? form.readSoon(target) : undefined));
	// Once the answers can be read, the parts follow them.
	$effect(() => {
		if (!preview || preview.problems?.length) return;
		untrack(() => {
			if (asked && JSON.stringify(asked) === JSON.stringify(form.inputs)) return;
			const query = form.query([]);
			if (query !== filled) {
				const first = asked === undefined;
				filled = query;
				const address = query ? `${reportAddress(target)}?${query}` : reportAddress(target);
				if (first) replace(address);
				else push(address);
			}
			asked = form.inputs;
		});
	});
	// A question that has to be answered stands open.
	$effect(() => {
		const missing = preview?.problems?.length
			? form.questions.find((q) => q.required && form.typed(q) === undefined && !q.default?.length)
			: undefined;
		if (missing && !untrack(() => asked)) opened = missing.name;
	});
	/** All parts anew, with the same answers. */
	function again(event: Event) {
		event.preventDefault();
		form.tried = true;
		if (!preview?.problems?.length) asked = { ...form.inputs };
	}

	const phone = matchMedia('(max-width: 40rem)');
	let narrow = $state(phone.matches);
	$effect(() => {
		const turned = () => (narrow = phone.matches);
		phone.addEventListener('change', turned);
		return () => phone.removeEventListener('change', turned);
	});
</script>

<svelte:head><title>{overview?.title ?? name} · Pike Gate</title></svelte:head>

<div class="grid grid-cols-1 gap-3.5 p-4 sm:px-5">
	{#if !overview}
		<Pending of={form.report} lines={6} />
	{:else}
		<PageHead title={overview.title} about={overview.about}>
			{#if !draft}<button type="button" class="button" data-send disabled={!asked} onclick={() => (sending = true)}
					>Send me this …</button
				>{/if}
			<Print {target} inputs={asked} />
		</PageHead>
		<AnswerLine {target} {form} today={overview.today} bind:opened onsubmit={again}>
			{#snippet side()}
				{#if !draft}<Saved
						{target}
						folder={overview.folder}
						list={saved.answers.value ?? []}
						inputs={form.inputs}
						onchoose={(answers) => fillWith(form, answers)}
						onchange={() => saved.answers.again()}
					/>{/if}
				<button type="submit" class="button-act">Renew</button>
			{/snippet}
		</AnswerLine>
		<div class="grid grid-cols-1 gap-3.5 lg:grid-cols-6">
			{#each overview.parts ?? [] as part, i (i)}
				<Part {target} {part} number={i + 1} {asked} answers={preview?.answers ?? []} {narrow} />
			{/each}
		</div>
	{/if}
</div>
{#if sending && asked}
	{#await import('../schedule/SendMe.svelte') then { default: SendMe }}
		<SendMe {target} inputs={asked} questions={form.questions} onclose={() => (sending = false)} />
	{/await}
{/if}
