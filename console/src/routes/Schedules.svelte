<script lang="ts">
	// The schedules there are: when each is due next, and what came of it last.
	import { listSchedules, type ScheduleInfo } from '../lib/api';
	import { link, push, router } from 'svelte-spa-router';
	import { account } from '../lib/account.svelte';
	import { listDestinations, type Destinations } from '../schedule/calls';
	import { Loaded } from '../lib/loaded.svelte';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import Notices from '../schedule/Notices.svelte';
	import State from '../schedule/State.svelte';
	import { nextText } from '../schedule/words';

	const all = $derived(new URLSearchParams(router.querystring ?? '').get('of') === 'all');
	const schedules = new Loaded<ScheduleInfo[]>();
	const places = new Loaded<Destinations>();
	$effect(() => {
		const wanted = all;
		return schedules.ask((signal) => listSchedules(wanted, signal));
	});
	$effect(() => places.ask(listDestinations));
	const byNext = $derived(
		[...(schedules.value ?? [])].sort(
			(a, b) => (a.next ?? '9').localeCompare(b.next ?? '9') || a.title.localeCompare(b.title),
		),
	);
</script>

<svelte:head><title>Schedules · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-3 p-4 sm:px-5">
	<PageHead title="Schedules" about="Reports that come by themselves, the next first">
		{#if places.value?.mailbox}<a class="button" href={places.value.mailbox} target="_blank" rel="noopener"
				>Mail of the demonstration</a
			>{/if}
	</PageHead>
	{#if account.authors}
		<div class="flex flex-wrap gap-2" role="group" aria-label="Whose">
			<button type="button" class="chip" aria-pressed={!all} onclick={() => push('/schedules')}>Mine</button>
			<button type="button" class="chip" aria-pressed={all} onclick={() => push('/schedules?of=all')}
				>{account.administers ? 'All' : 'All I may see'}</button
			>
		</div>
	{/if}
	<Notices />
	<Pending of={schedules} lines={5} />
	{#if schedules.value?.length === 0}
		<Empty
			><p>Nothing comes by itself yet.</p>
			<p>Run a report, and choose <strong>Send me this …</strong> above what it found.</p></Empty
		>
	{:else if schedules.value}
		<ul class="panel divide-line divide-y overflow-hidden">
			{#each byNext as s (s.name)}
				<li>
					<a
						href="/schedules/{encodeURIComponent(s.name)}"
						use:link
						class="text-ink hover:bg-wash grid grid-cols-1 items-center gap-x-4.5 gap-y-1 px-4.5 py-3 no-underline sm:grid-cols-[minmax(0,1fr)_190px_150px]"
					>
						<span class="min-w-0">
							<b class="block text-base font-semibold wrap-anywhere">{s.title}</b>
							<span class="muted block text-[13px] wrap-anywhere"
								>{s.when}{all && s.owner ? ` · for ${s.owner}` : ''}</span
							>
						</span>
						<span class="text-[13px] tabular-nums {s.paused ? 'text-warn font-semibold' : ''}">{nextText(s)}</span>
						<span
							>{#if s.last}<State state={s.last.state} />{:else}<span class="text-ink-3 text-[13px]">Not run yet</span
								>{/if}</span
						>
					</a>
				</li>
			{/each}
		</ul>
	{/if}
</div>
