<script lang="ts">
	import { link } from 'svelte-spa-router';
	import { listReports, type ReportInfo } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../lib/Pending.svelte';

	const reports = new Loaded<ReportInfo[]>();
	let search = $state('');

	$effect(() => reports.ask(listReports));

	// Every word must occur in the title, the description or a tag; those run lately come first.
	const found = $derived.by(() => {
		const words = search.toLowerCase().split(/\s+/).filter(Boolean);
		return (reports.value ?? [])
			.filter((r) => {
				const text = [r.title, r.about, r.name, ...(r.tags ?? [])].join(' ').toLowerCase();
				return words.every((word) => text.includes(word));
			})
			.sort((a, b) => (b.last_run ?? '').localeCompare(a.last_run ?? '') || a.title.localeCompare(b.title));
	});
	const when = new Intl.DateTimeFormat(navigator.language, { dateStyle: 'medium', timeStyle: 'short' });
</script>

<svelte:head><title>Reports · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-3xl p-4">
	<div class="mb-4 flex flex-wrap items-end justify-between gap-3">
		<h1 class="text-2xl font-semibold">Reports</h1>
		<input
			class="field max-w-72"
			type="search"
			placeholder="Find by title, word or tag"
			aria-label="Find a report"
			bind:value={search}
		/>
	</div>
	<Pending of={reports} />
	{#if reports.value?.length === 0}
		<p>
			No report is published yet. Write one, then <code>pikegate push FILE</code> and
			<code>pikegate publish NAME</code>.
		</p>
	{:else if reports.value}
		<ul class="divide-surface-200-800 panel divide-y">
			{#each found as report (report.name)}
				<li>
					<a href="/reports/{report.name}" use:link class="hover:preset-tonal block px-4 py-3 no-underline">
						<span class="text-primary-700-300 font-semibold underline">{report.title}</span>
						<span class="muted block text-sm">
							{report.about ?? ''}
							{#if report.last_run}Last run {when.format(new Date(report.last_run))}.{/if}
						</span>
						<span class="mt-1 flex gap-1.5">
							{#each report.tags ?? [] as tag (tag)}<span
									class="border-surface-300-700 rounded-base border px-1.5 text-xs">{tag}</span
								>{/each}
						</span>
					</a>
				</li>
			{:else}
				<li class="px-4 py-3">No report has all of these words.</li>
			{/each}
		</ul>
	{/if}
</div>
