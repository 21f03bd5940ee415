<script lang="ts">
	// Who may do what: rights by folder and by source, and who can run a report.
	import { account } from '../lib/account.svelte';
	import {
		giveRight,
		listDefinitions,
		listGroups,
		listReaders,
		listRights,
		listSources,
		listUsers,
		messageOf,
		Refusal,
		takeRight,
		type DefinitionInfo,
		type Grant,
		type Group,
		type ReportReader,
		type User,
	} from '../lib/api';
	import { listDestinations } from '../schedule/calls';
	import { Loaded } from '../lib/loaded.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	const grants = new Loaded<Grant[]>();
	const definitions = new Loaded<DefinitionInfo[]>();
	const groups = new Loaded<Group[]>();
	const users = new Loaded<User[]>();
	let sources = $state.raw<string[]>([]);
	$effect(() => grants.ask(listRights));
	$effect(() => definitions.ask(listDefinitions));
	let destinations = $state.raw<string[]>([]);
	$effect(() => {
		if (!account.administers) return; // who manages a folder types the names
		groups.ask(listGroups);
		users.ask(listUsers);
		listSources().then(
			(list) => (sources = list.map((s) => s.name)),
			() => {},
		);
		listDestinations().then(
			(d) => (destinations = (d.places ?? []).map((p) => p.place)),
			() => {},
		);
	});

	/** Every folder there is: of definitions, of rights, and those above them. */
	const folders = $derived.by(() => {
		const named = [
			...(definitions.value ?? []).map((d) => d.folder ?? ''),
			...(grants.value ?? []).flatMap((g) => (g.folder !== undefined && g.folder !== null ? [g.folder] : [])),
		];
		const above = (folder: string): string[] =>
			folder ? [folder, ...above(folder.slice(0, Math.max(folder.lastIndexOf('/'), 0)))] : [''];
		const all = ['', ...named.flatMap(above)];
		return all.filter((f, i) => all.indexOf(f) === i && account.may('manage', f)).sort();
	});
	const inFolder = (folder: string) => (grants.value ?? []).filter((g) => g.folder === folder);
	const toDestinations = $derived((grants.value ?? []).filter((g) => g.destination));
	const onSources = $derived((grants.value ?? []).filter((g) => g.source));
	const reportsIn = (folder: string) =>
		(definitions.value ?? []).filter((d) => d.kind === 'report' && (d.folder ?? '') === folder && d.version > 0);

	let failure = $state('');
	let given = $state({ place: 'folder ', right: 'run', whom: '' });
	const rightsOf = (place: string) =>
		place.startsWith('destination ')
			? [['deliver', 'have schedules deliver there']]
			: place.startsWith('source ')
				? [
						['read', 'write queries on it'],
						['sql', 'also write SQL by hand'],
						['manage', 'also change its connection'],
					]
				: [
						['run', 'run what is in it'],
						['draft', 'also write drafts'],
						['publish', 'also publish'],
						['manage', 'also share it'],
					];
	$effect(() => {
		if (!rightsOf(given.place).some(([right]) => right === given.right)) given.right = rightsOf(given.place)[0]![0]!;
	});
	async function attempt(what: () => Promise<unknown>) {
		failure = '';
		try {
			await what();
			grants.again();
		} catch (e) {
			failure = e instanceof Refusal ? e.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ') : messageOf(e);
		}
	}
	function give(event: Event) {
		event.preventDefault();
		const place = given.place.startsWith('source ')
			? { source: given.place.slice(7) }
			: given.place.startsWith('destination ')
				? { destination: given.place.slice(12) }
				: { folder: given.place.replace(/^folder /, '') };
		const whom = given.whom.startsWith('group ')
			? { group: given.whom.slice(6).trim() }
			: { user: given.whom.replace(/^user /, '').trim() };
		return attempt(() => giveRight({ ...place, right: given.right as Grant['right'], ...whom }));
	}

	let looked = $state('');
	const readers = new Loaded<ReportReader[]>();
	$effect(() => {
		const name = looked;
		readers.forget();
		return name ? readers.ask((signal) => listReaders(name, signal)) : undefined;
	});
	const whomText = (g: Grant) => (g.group ? `the group ${g.group}` : g.user);
	const folderText = (folder: string) => folder || 'Everything, all folders';
</script>

<svelte:head><title>Rights · Pike Gate</title></svelte:head>

{#snippet row(g: Grant)}
	<li class="flex flex-wrap items-center gap-x-4 px-4.5 py-1.5">
		<span class="min-w-0 grow">{whomText(g)}</span>
		<b class="w-20 font-semibold">{g.right}</b>
		<button type="button" class="button" onclick={() => attempt(() => takeRight(g))}
			>Take back<span class="sr-only"> {g.right} from {whomText(g)}</span></button
		>
	</li>
{/snippet}

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<PageHead title="Rights" about="A right in a folder holds in all below it; each holds those before it" />
	<form class="panel flex flex-wrap items-end gap-3 px-3.5 py-2.5 text-[13px]" onsubmit={give}>
		<label class="grow"
			>To
			<input
				class="field"
				name="whom"
				list="whom"
				required
				placeholder="group keepers, or user ava"
				bind:value={given.whom}
			/>
			<datalist id="whom">
				{#each groups.value ?? [] as g (g.name)}<option value="group {g.name}">{g.title ?? ''}</option>{/each}
				{#each users.value ?? [] as u (u.name)}<option value="user {u.name}">{u.display ?? ''}</option>{/each}
			</datalist></label
		>
		<label
			>the right
			{#key rightsOf(given.place)[0]![0]}
				<select class="field" name="right" bind:value={given.right}
					>{#each rightsOf(given.place) as [right, about] (right)}<option value={right}>{right}: {about}</option
						>{/each}</select
				>{/key}</label
		>
		<label class="grow"
			>in
			<select class="field" name="place" bind:value={given.place}>
				{#each folders as folder (folder)}<option value="folder {folder}">{folderText(folder)}</option>{/each}
				{#if account.administers}
					{#each sources as source (source)}<option value="source {source}">the source {source}</option>{/each}
					<option value="source *">every source</option>
					{#each destinations as place (place)}<option value="destination {place}">to {place}</option>{/each}
				{/if}
			</select></label
		>
		<button type="submit" class="button-act">Give</button>
	</form>
	{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
	<Pending of={grants} lines={4} />
	{#each folders as folder (folder)}
		{@const list = inFolder(folder)}
		{@const reports = reportsIn(folder)}
		{#if list.length || reports.length || folder === ''}
			<section aria-label={folderText(folder)}>
				<h2 class="mb-1.5 font-semibold">
					{folderText(folder)}
					<span class="muted text-[13px] font-normal"
						>{reports.length === 1 ? 'one report' : `${reports.length} reports`} in it</span
					>
				</h2>
				<ul class="panel divide-line divide-y">
					{#each list as g (g.group + '|' + g.user)}{@render row(g)}{:else}
						<li class="muted px-4.5 py-2 text-sm">Nobody was given anything here.</li>
					{/each}
				</ul>
			</section>
		{/if}
	{/each}
	{#if account.administers}
		<section aria-labelledby="to-destinations">
			<h2 id="to-destinations" class="mb-1.5 font-semibold">Destinations of schedules</h2>
			<ul class="panel divide-line divide-y">
				{#each toDestinations as g (g.destination + '|' + g.group + '|' + g.user)}
					<li class="flex flex-wrap items-center gap-x-4 px-4.5 py-1.5">
						<span class="min-w-0 grow">{whomText(g)} <span class="muted text-sm">to {g.destination}</span></span>
						<b class="w-20 font-semibold">{g.right}</b>
						<button type="button" class="button" onclick={() => attempt(() => takeRight(g))}
							>Take back<span class="sr-only"> {g.right} to {g.destination} from {whomText(g)}</span></button
						>
					</li>
				{:else}
					<li class="muted px-4.5 py-2 text-sm">
						{destinations.length > 1
							? 'Only administrators have schedules deliver so far.'
							: 'Folders, mail and hosts are named with serve --destinations.'}
					</li>
				{/each}
			</ul>
		</section>
		<section aria-labelledby="on-sources">
			<h2 id="on-sources" class="mb-1.5 font-semibold">Sources</h2>
			<ul class="panel divide-line divide-y">
				{#each onSources as g (g.source + '|' + g.group + '|' + g.user)}
					<li class="flex flex-wrap items-center gap-x-4 px-4.5 py-1.5">
						<span class="min-w-0 grow"
							>{whomText(g)} <span class="muted text-sm">on {g.source === '*' ? 'every source' : g.source}</span></span
						>
						<b class="w-20 font-semibold">{g.right}</b>
						<button type="button" class="button" onclick={() => attempt(() => takeRight(g))}
							>Take back<span class="sr-only"> {g.right} on {g.source} from {whomText(g)}</span></button
						>
					</li>
				{:else}
					<li class="muted px-4.5 py-2 text-sm">Only administrators write queries so far.</li>
				{/each}
			</ul>
		</section>
	{/if}
	<section aria-labelledby="who-runs" class="space-y-1.5">
		<h2 id="who-runs" class="font-semibold">Who can run a report</h2>
		<select class="field max-w-96" aria-label="Report" bind:value={looked}>
			<option value="">Choose a report</option>
			{#each (definitions.value ?? []).filter((d) => d.kind === 'report' && d.version > 0 && account.may('manage', d.folder)) as d (d.name)}
				<option value={d.name}>{d.title}</option>
			{/each}
		</select>
		{#if looked}<Pending of={readers} lines={3} />{/if}
		{#if readers.value}
			<ul class="panel divide-line divide-y" data-readers>
				{#each readers.value as r (r.user)}
					<li class="grid gap-x-4 px-4.5 py-1.5 sm:grid-cols-[minmax(0,260px)_minmax(0,1fr)]">
						<span><b class="font-semibold">{r.user}</b> <span class="muted text-sm">{r.display ?? ''}</span></span>
						<span class="text-ink-2 text-sm">{(r.because ?? []).join('; ')}</span>
					</li>
				{:else}
					<li class="muted px-4.5 py-2 text-sm">Nobody can.</li>
				{/each}
			</ul>
		{/if}
	</section>
</div>
