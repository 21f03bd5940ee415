<script lang="ts">
	// One schedule: when it is due next and what its answers mean then, where it goes, and what
	// came of it.
	import { link, push } from 'svelte-spa-router';
	import { reportAddress } from '../lib/link';
	import { messageOf, fullMessageOf } from '../lib/api';
	import {
		pauseSchedule,
		removeSchedule,
		resumeSchedule,
		runSchedule,
		showSchedule,
		type ScheduleDetail,
	} from '../schedule/calls';
	import { Loaded } from '../lib/loaded.svelte';
	import Dialog from '../parts/Dialog.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import State from '../schedule/State.svelte';
	import Times from '../schedule/Times.svelte';
	import { instantIn, wayText } from '../schedule/words';

	let { params }: { params: { name: string } } = $props();
	const name = $derived(decodeURIComponent(params.name));

	const loaded = new Loaded<ScheduleDetail>();
	const s = $derived(loaded.value);
	$effect(() => {
		const wanted = name;
		return loaded.ask((signal) => showSchedule(wanted, signal));
	});
	// What is under way is looked at again.
	const busy = $derived((s?.occurrences ?? []).some((o) => ['due', 'running'].includes(o.state)));
	$effect(() => {
		if (!busy) return;
		const timer = setInterval(loaded.again, 2000);
		return () => clearInterval(timer);
	});

	let failure = $state('');
	let removing = $state(false);
	async function change(what: () => Promise<unknown>) {
		failure = '';
		try {
			await what();
			loaded.again();
		} catch (e) {
			failure = fullMessageOf(e);
		}
	}
	async function remove() {
		try {
			await removeSchedule(name);
			push('/schedules');
		} catch (e) {
			failure = messageOf(e);
			removing = false;
		}
	}
	const retries = $derived(
		!s
			? ''
			: s.retries === 0
				? 'What fails is not tried again.'
				: `What fails is tried again ${s.retries} times over ${s.retry_minutes % 60 ? s.retry_minutes + ' minutes' : s.retry_minutes / 60 + ' hours'}.`,
	);
	const missed = {
		once: 'Of times missed while the service was down the last is run.',
		each: 'Each time missed while the service was down is run.',
		skip: 'Times missed while the service was down are not run.',
	};
</script>

<svelte:head><title>{s?.title ?? name} · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<Pending of={loaded} lines={6} />
	{#if s}
		<PageHead title={s.title} about="{s.when}, {s.zone}">
			{#if s.changes}
				<button type="button" class="button" onclick={() => change(() => runSchedule(name))}>Run now</button>
				{#if s.paused}<button type="button" class="button-act" onclick={() => change(() => resumeSchedule(name))}
						>Resume</button
					>
				{:else}<button type="button" class="button" onclick={() => change(() => pauseSchedule(name))}>Pause</button
					>{/if}
				{#if s.own}<button type="button" class="button-quiet" onclick={() => (removing = true)}>Remove</button>
				{:else}<a class="button-quiet" href="/drafts/schedule/{encodeURIComponent(name)}" use:link>Definition</a>{/if}
			{/if}
		</PageHead>
		{#if failure}<p role="alert" class="wash-bad">{failure}</p>{/if}
		{#if s.paused}<p class="wash-warn" data-paused><strong>Paused.</strong> {s.paused}</p>{/if}
		<p class="text-sm">
			Runs <a href={reportAddress({ report: s.report, draft: false, overview: s.overview })} use:link>{s.report}</a
			>{s.owner ? `, for ${s.owner}` : ''}{s.each ? `, once for each ${s.each}` : ''}{s.only
				? `, and is sent only if ${s.only}`
				: ''}.
		</p>
		<div class="grid gap-4 lg:grid-cols-2">
			<section class="panel p-4" aria-labelledby="next">
				<h2 id="next" class="mb-2 font-semibold">Due next</h2>
				<Times times={s.times ?? []} ended={s.ended} />
			</section>
			<section class="panel p-4" aria-labelledby="to">
				<h2 id="to" class="mb-2 font-semibold">Where it goes</h2>
				<ul class="space-y-1.5 text-sm">
					{#each s.deliver ?? [] as d (d.way + d.target)}
						<li>
							<span class="muted">{wayText(d.way)}</span>
							<span class="wrap-anywhere">{d.target}</span>{#if d.way === 'mail' && d.format}<span class="muted"
									>, with a file as {d.format.toUpperCase()}</span
								>{/if}
						</li>
					{/each}
				</ul>
				<p class="muted mt-3 text-[13px]">{retries} {missed[s.missed as keyof typeof missed] ?? ''}</p>
			</section>
		</div>
		<section aria-labelledby="before">
			<h2 id="before" class="mb-2 font-semibold">Past occurrences</h2>
			{#if s.occurrences?.length}
				<ul class="panel divide-line divide-y overflow-hidden">
					{#each s.occurrences as o (o.occurrence)}
						<li>
							<a
								href="/occurrences/{o.occurrence}"
								use:link
								class="text-ink hover:bg-wash grid grid-cols-1 gap-x-4 gap-y-0.5 px-4 py-2 no-underline sm:grid-cols-[220px_150px_minmax(0,1fr)]"
							>
								<span class="text-sm tabular-nums"
									>{instantIn(o.due, s.zone)}{o.repeat ? ` · again (${o.repeat})` : ''}</span
								>
								<span><State state={o.state} /></span>
								<span class="muted text-[13px] wrap-anywhere">{o.problem ?? ''}</span>
							</a>
						</li>
					{/each}
				</ul>
			{:else}<p class="muted text-sm">It has not run yet.</p>{/if}
		</section>
	{/if}
</div>
{#if removing}
	<Dialog title="Remove this schedule?" onclose={() => (removing = false)}>
		<p class="text-sm">Nothing more comes of it. What was sent stays where it is.</p>
		{#snippet foot(close)}
			<button type="button" class="button" onclick={close}>Keep it</button>
			<button type="button" class="button-act" onclick={remove}>Remove</button>
		{/snippet}
	</Dialog>
{/if}
