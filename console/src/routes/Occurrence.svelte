<script lang="ts">
	// One time at which a schedule was due, in full: what was run for it, and what became of each
	// delivery.
	import { link } from 'svelte-spa-router';
	import { fullMessageOf } from '../lib/api';
	import { cancelOccurrence, runSchedule, showOccurrence, type Occurrence } from '../schedule/calls';
	import { Loaded } from '../lib/loaded.svelte';
	import { instantText, recordsText, sizeText } from '../lib/text';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import State from '../schedule/State.svelte';
	import { wayText } from '../schedule/words';

	let { params }: { params: { occurrence: string } } = $props();

	const loaded = new Loaded<Occurrence>();
	const o = $derived(loaded.value);
	$effect(() => {
		const number = Number(params.occurrence);
		return loaded.ask((signal) => showOccurrence(number, signal));
	});
	const open = $derived(!!o && ['due', 'running', 'retrying'].includes(o.state));
	$effect(() => {
		if (!open) return;
		const timer = setInterval(loaded.again, 2000);
		return () => clearInterval(timer);
	});
	let failure = $state('');
	let again = $state('');
	async function change(what: () => Promise<unknown>) {
		failure = '';
		try {
			await what();
			loaded.again();
		} catch (e) {
			failure = fullMessageOf(e);
		}
	}
	async function repeat() {
		const made = await runSchedule(o!.schedule, o!.due);
		again = `/occurrences/${made.occurrence}`;
	}
	const shown = 100;
</script>

<svelte:head><title>Occurrence {params.occurrence} · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<Pending of={loaded} lines={6} />
	{#if o}
		<PageHead title="Occurrence {o.occurrence}" about="due {o.due_text}{o.repeat ? `, run again (${o.repeat})` : ''}">
			{#if o.changes}
				{#if open}<button type="button" class="button" onclick={() => change(() => cancelOccurrence(o.occurrence))}
						>Cancel</button
					>{/if}
				<button type="button" class="button" onclick={() => change(repeat)}>Run again</button>
			{/if}
		</PageHead>
		{#if failure}<p role="alert" class="wash-bad">{failure}</p>{/if}
		{#if again}<p role="status" class="bg-act-wash rounded-base px-3 py-2 text-sm">
				It is run again: <a href={again} use:link>occurrence {again.split('/').at(-1)}</a>.
			</p>{/if}
		<p class="flex flex-wrap items-baseline gap-x-3 text-sm">
			<State state={o.state} />
			<span
				>of <a href="/schedules/{encodeURIComponent(o.schedule)}" use:link>{o.schedule}</a>{o.version
					? `, version ${o.version}`
					: ''}{o.owner ? `, for ${o.owner}` : ''}</span
			>
			{#if o.as_of}<span class="muted">Dates are read as of {o.due_text}.</span>{/if}
			{#if o.retry}<span class="text-warn">Tried again {instantText(o.retry)}.</span>{/if}
		</p>
		{#if o.problem}<p class={o.state === 'failed' ? 'wash-bad' : 'wash-warn'}>{o.problem}</p>{/if}
		{#each (o.parts ?? []).slice(0, shown) as p (p.number)}
			<section class="panel space-y-1 px-4 py-3" aria-label="Part {p.number}" data-part={p.number}>
				<div class="flex flex-wrap items-baseline gap-x-3">
					<h2 class="font-semibold">{p.blank ? 'Blank' : p.label || 'The report'}</h2>
					{#if p.run}<span class="text-sm">{recordsText(p.count)}</span><a class="text-sm" href="/runs/{p.run}" use:link
							>Run {p.run}</a
						>{/if}
					{#if p.read_at}<span class="text-ink-3 text-[13px]">records read {instantText(p.read_at)}</span>{/if}
				</div>
				{#if p.readback}<p class="muted text-sm">{p.readback}</p>{/if}
				{#if p.problem}<p class="text-sm">{p.problem}</p>{/if}
				<ul class="divide-line divide-y">
					{#each p.deliveries ?? [] as d (d.id)}
						<li class="grid grid-cols-1 gap-x-4 gap-y-0.5 py-1.5 text-sm sm:grid-cols-[150px_minmax(0,1fr)]">
							<State state={d.state} />
							<span class="min-w-0">
								<span class="muted">{wayText(d.way)}</span> <span class="wrap-anywhere">{d.target}</span>
								<span class="text-ink-3 text-[13px]"
									>{[
										d.bytes ? sizeText(d.bytes) : '',
										d.delivered ? instantText(d.delivered) : '',
										d.attempts > 1 ? `${d.attempts} attempts` : '',
										d.retry ? `tried again ${instantText(d.retry)}` : '',
									]
										.filter(Boolean)
										.join(' · ')}</span
								>
								{#if d.problem}<span class="text-bad block text-[13px] wrap-anywhere">{d.problem}</span>{/if}
								{#if d.answer}<span class="text-ink-3 block text-[13px] wrap-anywhere">Answer: {d.answer}</span>{/if}
								{#if d.sha256}<code class="text-ink-3 block text-[12px] break-all whitespace-normal"
										>SHA-256 {d.sha256}</code
									>{/if}
							</span>
						</li>
					{/each}
				</ul>
			</section>
		{/each}
		{#if (o.parts?.length ?? 0) > shown}<p class="muted text-sm">
				… and {o.parts!.length - shown} more parts: <code>pikegate schedule occurrence {o.occurrence}</code>
			</p>{/if}
	{/if}
</div>
