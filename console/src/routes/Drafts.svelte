<script lang="ts">
	// Everything that was written here, by kind, with what is published of each.
	import { link } from 'svelte-spa-router';
	import { listDefinitions, type DefinitionInfo } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';
	import { buildAddress, draftAddress, newDraftAddress } from '../lib/link';

	const definitions = new Loaded<DefinitionInfo[]>();
	let search = $state('');
	$effect(() => definitions.ask(listDefinitions));

	const kinds = [
		{
			kind: 'report',
			label: 'Reports',
			about: 'What people see: a query, how its questions are asked, groups, totals, a chart.',
		},
		{ kind: 'overview', label: 'Overviews', about: 'Several reports on one page, their questions asked once.' },
		{ kind: 'query', label: 'Queries', about: 'Which records to read and what to ask for.' },
		{ kind: 'parameter', label: 'Shared questions', about: 'Questions that several queries ask.' },
		{ kind: 'criterion', label: 'Named conditions', about: 'Conditions that several queries use.' },
		{ kind: 'calendar', label: 'Calendars', about: 'Holidays, working days, named periods, fiscal years.' },
		{ kind: 'schedule', label: 'Schedules', about: 'Reports that come by themselves, and where they go.' },
		{ kind: 'rule', label: 'Row rules', about: 'Which rows of a table whom they are for may see.' },
		{ kind: 'source', label: 'Sources', about: 'How the dates of each are stored.' },
	];
	const found = $derived.by(() => {
		const words = search.toLowerCase().split(/\s+/).filter(Boolean);
		return (definitions.value ?? []).filter((d) =>
			words.every((w) => `${d.name} ${d.title}`.toLowerCase().includes(w)),
		);
	});
	const standing = (d: DefinitionInfo) =>
		d.version === 0 ? 'never published' : `version ${d.version}` + (d.draft ? ', changed since' : '');
</script>

<svelte:head><title>Drafts · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<PageHead title="Drafts" about="Everything written here, and what of it is published">
		<input
			class="field h-8 w-56"
			type="search"
			placeholder="Name or title"
			aria-label="Find a definition"
			bind:value={search}
		/>
	</PageHead>
	<Pending of={definitions} lines={6} />
	{#if definitions.value}
		{#each kinds as { kind, label, about } (kind)}
			{@const list = found.filter((d) => d.kind === kind)}
			<section aria-labelledby="kind-{kind}">
				<div class="mb-1.5 flex flex-wrap items-center justify-between gap-3">
					<h2 id="kind-{kind}" class="font-semibold">
						{label} <span class="muted text-[13px] font-normal">{about}</span>
					</h2>
					<a class="button" href={newDraftAddress(kind)} use:link data-new={kind}>New</a>
				</div>
				<ul class="panel divide-line divide-y overflow-hidden">
					{#each list as d (d.name)}
						<li>
							<a
								href={['report', 'query'].includes(d.kind)
									? buildAddress(d.kind, d.name)
									: draftAddress(d.kind, d.name)}
								use:link
								class="text-ink hover:bg-wash flex min-h-9 flex-wrap items-center justify-between gap-x-4 px-4.5 py-1.5 no-underline"
							>
								<span><b class="font-semibold">{d.name}</b> <span class="muted text-sm">{d.title}</span></span>
								<span class="text-ink-3 text-[13px]">{standing(d)}</span>
							</a>
						</li>
					{:else}
						<li class="muted px-4.5 py-2 text-sm">{search ? `No matches for “${search}”.` : 'None yet.'}</li>
					{/each}
				</ul>
			</section>
		{/each}
	{/if}
</div>
