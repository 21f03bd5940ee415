<script lang="ts">
	// The overviews and reports there are: those run lately first.
	import { link } from 'svelte-spa-router';
	import { account } from '../lib/account.svelte';
	import {
		listNotices,
		listOverviews,
		listReports,
		listSchedules,
		type Notice,
		type ReportInfo,
		type ScheduleInfo,
	} from '../lib/api';
	import { reportAddress } from '../lib/link';
	import { Loaded } from '../lib/loaded.svelte';
	import { readMonths } from '../lib/months';
	import { agoText, instantText } from '../lib/text';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	const reports = new Loaded<ReportInfo[]>();
	let search = $state('');
	let tag = $state('');

	$effect(() => reports.ask(listReports));
	const overviews = new Loaded<ReportInfo[]>();
	$effect(() => overviews.ask(listOverviews));
	// When a report comes by itself to whoever reads this.
	const schedules = new Loaded<ScheduleInfo[]>();
	$effect(() => schedules.ask((signal) => listSchedules(false, signal)));
	const notices = new Loaded<Notice[]>();
	$effect(() => notices.ask(listNotices));
	const coming = (name: string, overview = false) =>
		(schedules.value ?? [])
			.filter((s) => s.report === name && !!s.overview === overview && s.next)
			.sort((a, b) => a.next!.localeCompare(b.next!))[0];

	const tags = $derived(
		[...new Set([...(overviews.value ?? []), ...(reports.value ?? [])].flatMap((r) => r.tags ?? []))].sort(),
	);
	// Every word must occur in the title, the description or a tag.
	const matching = (list?: ReportInfo[]) => {
		const words = search.toLowerCase().split(/\s+/).filter(Boolean);
		return (list ?? [])
			.filter((r) => {
				const text = [r.title, r.about, r.name, ...(r.tags ?? [])].join(' ').toLowerCase();
				return (!tag || r.tags?.includes(tag)) && words.every((word) => text.includes(word));
			})
			.sort((a, b) => (b.last_run ?? '').localeCompare(a.last_run ?? '') || a.title.localeCompare(b.title));
	};
	const found = $derived(matching(reports.value));
	const groups = $derived(
		[
			{ name: 'Overviews', list: matching(overviews.value), overview: true },
			{ name: 'Lately', list: found.filter((r) => r.last_run).slice(0, 6) },
			{ name: 'All others', list: found.filter((r) => !r.last_run).concat(found.filter((r) => r.last_run).slice(6)) },
		].filter((g) => g.list.length),
	);
</script>

<svelte:head><title>Reports · Pike Gate</title></svelte:head>

{#snippet months(counts: number[])}
	{@const top = Math.max(1, ...counts)}
	<span
		class="hidden h-6.5 items-end gap-0.5 sm:flex"
		role="img"
		aria-label="Records in the last {counts.length} months: {counts.join(', ')}"
	>
		{#each counts as count, i (i)}<i
				class="w-1.75 rounded-t-[1px] {i === counts.length - 1 ? 'bg-act' : 'bg-line-strong'}"
				style:height="{count ? Math.max(8, (count / top) * 100) : 0}%"
			></i>{/each}
	</span>
{/snippet}

<div class="mx-auto max-w-[1080px] space-y-3 p-4 sm:px-5">
	<PageHead title="Reports" about={reports.value?.length ? `${reports.value.length} published` : ''}>
		<input
			class="field h-8 w-44"
			type="search"
			placeholder="Title, word or tag"
			aria-label="Find a report"
			bind:value={search}
		/>
	</PageHead>
	{#if notices.value?.length}
		{#await import('../schedule/Notices.svelte') then { default: Notices }}<Notices first={notices.value} />{/await}
	{/if}
	<Pending of={reports} lines={5} />
	{#if reports.value?.length === 0}
		<Empty
			><p>
				{account.authors ? 'No report is published yet.' : 'No report is shared with you yet. Ask an administrator.'}
			</p>
			{#if account.authors}<p>
					<a href="/drafts" use:link>Write one</a>, or <code>pikegate push FILE</code> and
					<code>pikegate publish NAME</code>.
				</p>{/if}</Empty
		>
	{:else if reports.value && [overviews, notices, schedules].every((l) => l.value || l.failure)}
		{#if tags.length}
			<div class="flex flex-wrap gap-2" role="group" aria-label="Tags">
				{#each ['', ...tags] as name (name)}<button
						type="button"
						class="chip"
						aria-pressed={tag === name}
						onclick={() => (tag = name)}>{name || 'All'}</button
					>{/each}
			</div>
		{/if}
		{#each groups as group (group.name)}
			<section aria-label={group.name}>
				{#if groups.length > 1 || group.name === 'Lately'}<h2
						class="text-ink-3 mx-0.5 mt-2 mb-1.5 text-xs font-[650] tracking-wider uppercase"
					>
						{group.name}
					</h2>{/if}
				<ul class="panel divide-line divide-y overflow-hidden">
					{#each group.list as report (report.name)}
						<li>
							<a
								href={reportAddress({ report: report.name, draft: false, overview: group.overview })}
								use:link
								class="text-ink hover:bg-wash grid grid-cols-1 items-center gap-x-4.5 gap-y-1 px-4.5 py-3 no-underline sm:grid-cols-[minmax(0,1fr)_120px_150px]"
							>
								<span class="min-w-0">
									<b class="block text-base font-semibold wrap-anywhere">{report.title}</b>
									<span class="muted block text-[13px] wrap-anywhere">{report.about ?? ''}</span>
								</span>
								{@render months(group.overview ? [] : readMonths(report.name))}
								<span class="text-ink-3 text-[13px]"
									>{coming(report.name, group.overview)
										? `comes ${instantText(coming(report.name, group.overview)!.next!)}`
										: group.overview
											? ''
											: report.last_run
												? `run ${agoText(report.last_run)}`
												: 'not run yet'}</span
								>
							</a>
						</li>
					{/each}
				</ul>
			</section>
		{:else}
			<Empty
				>No report matches “{[tag, search].filter(Boolean).join(' ')}”.
				<button
					type="button"
					class="text-act underline"
					onclick={() => {
						search = '';
						tag = '';
					}}>Show all reports</button
				></Empty
			>
		{/each}
	{/if}
</div>
