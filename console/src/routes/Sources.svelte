<script lang="ts">
	// What there is to read: sources, their tables and views, and of a table what
	// its columns hold and its first rows.
	import { link, push } from 'svelte-spa-router';
	import {
		checkSource,
		listSources,
		messageOf,
		removeSource,
		setEncoding,
		showExtents,
		showRows,
		showSource,
		showUnfit,
		Refusal,
		type ColumnExtent,
		type SourceColumn as Column,
		type Result,
		type Source,
		type SourceInfo,
		type Table,
	} from '../lib/api';
	import { account } from '../lib/account.svelte';
	import Connection from '../sources/Connection.svelte';
	import Files from '../sources/Files.svelte';
	import Readings from '../sources/Readings.svelte';
	import Unfit from '../sources/Unfit.svelte';
	import Upload from '../sources/Upload.svelte';
	import Uploads from '../sources/Uploads.svelte';
	import Dialog from '../parts/Dialog.svelte';
	import { beginAddress, newDraftAddress } from '../lib/link';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
	import ResultTable from '../result/ResultTable.svelte';
	import type { Row } from '../result/run.svelte';
	import { countText, stampText } from '../lib/text';

	let { params }: { params: { source?: string; table?: string } } = $props();

	let sources = $state.raw<Source[]>([]);
	let infos = $state.raw<SourceInfo[]>([]);
	let broken = $state.raw<{ name: string; why: string }[]>([]);
	let loaded = $state(false);
	let failure = $state('');

	async function load() {
		try {
			infos = await listSources();
			const names = infos.map((s) => s.name);
			const found = await Promise.allSettled(names.map((name) => showSource(name)));
			sources = found.flatMap((f) => (f.status === 'fulfilled' ? [f.value] : []));
			broken = found.flatMap((f, i) =>
				f.status === 'rejected' ? [{ name: names[i]!, why: messageOf(f.reason) }] : [],
			);
			loaded = true;
		} catch (e) {
			failure = messageOf(e);
		}
	}
	load();

	/** The connection that is made or changed: its name, or nothing for a new one. */
	let connecting = $state<{ known?: SourceInfo }>();
	/** The files that are uploaded, and the source that they are added to. */
	let uploading = $state.raw<{ files: File[]; into?: string }>();
	const isUploaded = (s?: Source) => s?.engine === 'files' && s.name !== 'kept' && !infoOf(s.name)?.address;
	/** Whether files are held over the page. */
	let over = $state(false);
	function drop(event: DragEvent) {
		event.preventDefault();
		over = false;
		const files = [...(event.dataTransfer?.files ?? [])];
		if (manages && files.length) uploading = { files, into: uploadTo };
	}
	let forgetting = $state('');
	/** What uses the source that was to be forgotten. */
	let usedBy = $state('');
	async function forget(name: string, anyway = false) {
		try {
			await removeSource(name, anyway);
			forgetting = usedBy = '';
			await load();
			push('/sources');
		} catch (e) {
			if (e instanceof Refusal && e.problems.some((p) => p.code === 'in_use')) usedBy = e.problems[0]!.message;
			else {
				forgetting = '';
				trouble = messageOf(e);
			}
		}
	}

	/** Sources opened or closed by hand; others are open while looked at. */
	let turned = $state<Record<string, boolean>>({});
	const isOpen = (s: Source) => turned[s.name] ?? (!params.source || params.source === s.name);

	const manages = $derived(account.administers);
	const infoOf = (name: string) => infos.find((s) => s.name === name);
	const source = $derived(sources.find((s) => s.name === params.source));
	const uploadTo = $derived(isUploaded(source) ? source?.name : undefined);
	const table = $derived(source?.tables?.find((t) => t.name === params.table));

	const extentsOf = new Loaded<ColumnExtent[]>();
	const rowsOf = new Loaded<Result>();
	const [extents, rows] = $derived([extentsOf.value, rowsOf.value]);
	/** What went wrong with something that was done. */
	let trouble = $state('');
	$effect(() => {
		const [s, t] = [source?.name, table?.name];
		extentsOf.forget();
		rowsOf.forget();
		trouble = '';
		refused = unfit = trying = undefined;
		if (!s || !t) return;
		const stop = [extentsOf.ask((signal) => showExtents(s, t, signal)), rowsOf.ask((signal) => showRows(s, t, signal))];
		return () => stop.forEach((f) => f());
	});
	const extentOf = (column: string) => extents?.find((e) => e.column === column);

	const connectionOf = new Loaded<Awaited<ReturnType<typeof checkSource>>>();
	const connection = $derived(connectionOf.value);
	$effect(() => {
		connectionOf.forget();
		const name = table ? undefined : source?.name;
		if (name) return connectionOf.ask((signal) => checkSource(name, signal));
	});

	// The ways a date is kept in text or in a number; an engine's own dates need none.
	const encodings = [
		'iso-date',
		'iso-local',
		'iso-instant',
		'ymd',
		'ym',
		'unix-s',
		'unix-ms',
		'unix-us',
		'serial-1900',
	];
	const settable = (c: Column) => ['text', 'integer'].includes(c.encoding ? (c.stored ?? '') : c.type);
	/** An encoding that was refused because it does not fit what is stored. */
	let refused = $state.raw<{ column: string; encoding: string }>();
	/** The encoding whose reading of a column is looked at. */
	// How a column would be read; own where it is a layout that is written.
	let trying = $state.raw<{ column: string; encoding: string; own?: boolean }>();
	const ownLayout = 'layout';
	const isLayout = (encoding?: string) => encoding && /[DMY]/.test(encoding);
	const choose = (column: string, encoding: string) =>
		(trying = encoding === ownLayout ? { column, encoding: '', own: true } : { column, encoding });
	async function encode(t: Table, column: string, encoding: string, anyway = false) {
		trouble = '';
		refused = trying = undefined;
		try {
			const changed = await setEncoding(source!.name, `${t.name}.${column}`, encoding, anyway);
			sources = sources.map((s) => (s.name === changed.name ? changed : s));
		} catch (e) {
			trouble = messageOf(e);
			if (e instanceof Refusal && e.problems.some((p) => p.code === 'encoding_does_not_fit'))
				refused = { column, encoding };
			else sources = [...sources]; // the choice goes back to what is set
		}
	}
	/** The column whose values that are no dates are listed, and they. */
	let unfit = $state.raw<{ column: string; rows: Result }>();
	async function list(t: Table, column: string) {
		try {
			unfit = { column, rows: await showUnfit(source!.name, t.name, column) };
		} catch (e) {
			trouble = messageOf(e);
		}
	}
	const at = (s: string, t?: string) =>
		`/sources/${encodeURIComponent(s)}` + (t === undefined ? '' : `/${encodeURIComponent(t)}`);
	const joinOf = (t: Table) =>
		(t.references ?? []).map(
			(r) => `${(r.columns ?? []).join(', ')} names a record of ${r.table} (${(r.to ?? []).join(', ')})`,
		);
</script>

<svelte:head><title>{params.table ?? params.source ?? 'Sources'} · Pike Gate</title></svelte:head>

<!-- svelte-ignore a11y_no_static_element_interactions (files are also chosen with a button) -->
<div
	class="relative flex flex-col gap-4.5 p-4 sm:px-5 lg:h-full lg:flex-row"
	data-drop
	ondragover={(e) => {
		e.preventDefault();
		over = manages && !!e.dataTransfer?.types.includes('Files');
	}}
	ondragleave={(e) => (over = e.currentTarget.contains(e.relatedTarget as Node))}
	ondrop={drop}
>
	{#if over}
		<div
			class="border-act bg-act-wash/90 rounded-container pointer-events-none absolute inset-2 z-30 grid place-items-center border-2 border-dashed text-lg font-semibold"
		>
			{uploadTo ? `Upload to ${uploadTo}` : 'Upload as a source of its own'}
		</div>
	{/if}
	<nav aria-label="Sources" class="w-full shrink-0 lg:w-80 lg:overflow-y-auto">
		<div class="mb-3 flex items-center justify-between gap-2">
			<h1>Sources</h1>
			{#if manages}<span class="flex gap-2"
					><button type="button" class="button" onclick={() => (uploading = { files: [] })}>Upload …</button><button
						type="button"
						class="button"
						onclick={() => (connecting = {})}>Connect …</button
					></span
				>{/if}
		</div>
		{#if failure}<p role="alert" class="text-bad">{failure}</p>{/if}
		{#if loaded && sources.length + broken.length === 0}
			<p>
				No database is connected yet. {#if manages}Connect one, or use{:else}Use{/if}
				<code>pikegate source add NAME --at PATH</code>.
			</p>
		{/if}
		<ul class="space-y-2">
			{#each sources as s (s.name)}
				<li>
					<div class="flex items-center gap-1 py-0.5">
						<button
							type="button"
							class="min-h-6 w-6"
							aria-expanded={isOpen(s)}
							aria-label="Tables of {s.name}"
							onclick={() => (turned = { ...turned, [s.name]: !isOpen(s) })}>{isOpen(s) ? '▾' : '▸'}</button
						>
						<a
							href={at(s.name)}
							use:link
							class="font-semibold"
							aria-current={s === source && !table ? 'page' : undefined}>{s.name}</a
						>
						<span class="muted text-sm">{s.engine}</span>
					</div>
					{#if isOpen(s)}
						<ul class="border-line-strong ml-1.5 border-l pl-3">
							{#each s.tables ?? [] as t (t.name)}
								<li>
									<a
										href={at(s.name, t.name)}
										use:link
										aria-current={t === table ? 'page' : undefined}
										class="rounded-base text-ink hover:bg-wash flex justify-between gap-2 px-1.5 py-0.5 no-underline {t ===
										table
											? 'bg-act-wash font-semibold'
											: ''}"
										><span>{t.name}{t.view ? ' (view)' : ''}</span><span class="muted text-sm"
											>{t.columns?.length ? `${t.columns.length} columns` : 'cannot be read'}</span
										></a
									>
								</li>
							{/each}
						</ul>
					{/if}
				</li>
			{/each}
			{#each broken as b (b.name)}
				<li>
					<span class="font-semibold">{b.name}</span> <span class="text-bad text-sm">{b.why}</span>
					{#if manages}
						<button type="button" class="text-sm underline" onclick={() => (connecting = { known: infoOf(b.name) })}
							>Change its connection</button
						>
					{/if}
				</li>
			{/each}
		</ul>
	</nav>

	<div class="flex min-h-0 min-w-0 grow flex-col gap-4 lg:overflow-y-auto">
		{#if trouble || extentsOf.failure}<p role="alert" class="text-bad">{trouble || extentsOf.failure}</p>{/if}
		{#if refused && table}
			{@const r = refused}
			<p>
				<button type="button" class="button" onclick={() => encode(table, r.column, r.encoding, true)}
					>Set {r.column} to {r.encoding} anyway</button
				>
			</p>
		{/if}
		{#if table && source}
			<div class="flex flex-wrap items-baseline justify-between gap-3">
				<h2 class="text-xl font-semibold">
					{table.name}
					<span class="muted text-sm font-normal"
						>{table.view ? 'view' : 'table'} of {source.name}{#if extents?.[0]}, {countText(extents[0].records)} records{/if}</span
					>
				</h2>
				<span class="flex flex-wrap gap-2">
					<a class="button" href={newDraftAddress('query', { source: source.name, from: table.name })} use:link
						>Write a query</a
					>
					<a class="button-act" data-build href={beginAddress(source.name, table.name)} use:link>Build a report</a>
				</span>
			</div>
			{#if table.evidence}<p class="muted text-sm" data-evidence>{table.evidence}</p>{/if}
			{#if table.form && manages}
				<details data-reading open={!table.columns?.length}>
					<summary class="min-h-6 w-fit cursor-pointer text-sm underline">How its files are read</summary>
					<div class="pt-2">
						{#key table}<Files
								source={source.name}
								{table}
								onset={(changed) => (sources = sources.map((s) => (s.name === changed.name ? changed : s)))}
							/>{/key}
					</div>
				</details>
			{/if}
			<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
			<div class="panel shrink-0 overflow-x-auto" tabindex="0" role="region" aria-label="Columns of {table.name}">
				<table class="w-full text-sm tabular-nums" data-columns>
					<thead>
						<tr>
							{#each ['Column', 'Type', 'Stored as', 'Blank', 'Distinct', 'Minimum', 'Maximum'] as head, i (head)}
								<th class="column-head {i === 3 || i === 4 ? 'text-right' : ''}">{head}</th>
							{/each}
						</tr>
					</thead>
					<tbody>
						{#each table.columns ?? [] as column (column.name)}
							{@const e = extentOf(column.name)}
							<tr class="border-line border-t align-top">
								<th scope="row" class="px-3 py-1.5 text-left font-semibold"
									>{column.name}<span class="muted font-normal">{table.key?.includes(column.name) ? ', key' : ''}</span
									></th
								>
								<td class="px-3 py-1.5">{column.type}</td>
								<td class="px-3 py-1.5">
									{#if settable(column) && !table.view && !table.key?.includes(column.name)}
										<select
											class="field h-7 w-auto text-sm"
											aria-label="How {column.name} is stored"
											value={trying?.column === column.name
												? trying.own
													? ownLayout
													: trying.encoding
												: (column.encoding ?? '')}
											onchange={(ev) => choose(column.name, ev.currentTarget.value)}
										>
											{#if !column.encoding}<option value="">{column.declared || 'as it is'}, no date</option>{/if}
											{#if isLayout(column.encoding)}<option value={column.encoding}>{column.encoding}</option>{/if}
											{#each encodings as name (name)}<option value={name}>{name}</option>{/each}
											{#if (column.stored ?? column.type) === 'text'}<option value={ownLayout}
													>a layout of its own …</option
												>{/if}
										</select>
									{:else}{column.encoding || column.declared}{/if}
									{#if column.evidence}<span class="muted block text-xs">{column.evidence}</span>{/if}
									{#if column.encoding && settable(column)}
										<button
											type="button"
											class="block min-h-6 text-xs underline"
											aria-label="Ten values of {column.name}"
											onclick={() => (trying = { column: column.name, encoding: column.encoding ?? '' })}
											>Ten values</button
										>
									{/if}
									{#if column.unfit}
										<button
											type="button"
											class="block min-h-6 text-xs underline"
											aria-label="Show them, the records in which {column.name} is no date"
											onclick={() => list(table, column.name)}>Show them</button
										>
									{/if}
								</td>
								<td class="px-3 py-1.5 text-right">{e ? countText(e.blank) : '…'}</td>
								<td class="px-3 py-1.5 text-right">{!e ? '…' : column.type === 'other' ? '' : countText(e.distinct)}</td
								>
								<td class="px-3 py-1.5 whitespace-nowrap">{stampText(e?.earliest)}</td>
								<td class="px-3 py-1.5 whitespace-nowrap">{stampText(e?.latest)}</td>
							</tr>
							{#if trying?.column === column.name && (trying.encoding || trying.own)}
								{@const { encoding, own } = trying}
								<tr class="bg-wash"
									><td colspan="7">
										<Readings
											source={source.name}
											table={table.name}
											column={column.name}
											{encoding}
											onlayout={own ? (layout) => (trying = { column: column.name, encoding: layout, own }) : undefined}
											onset={table.view ? undefined : () => encode(table, column.name, encoding)}
											onclose={() => (trying = undefined)}
										/></td
									></tr
								>
							{/if}
						{/each}
					</tbody>
				</table>
			</div>
			{#if table.indexes?.length || table.references?.length}
				<ul class="text-sm">
					{#each joinOf(table) as sentence, i (i)}<li>{sentence}</li>{/each}
					{#each table.indexes ?? [] as index (index.name)}<li class="muted">
							Index {index.name} on {(index.columns ?? []).join(', ')}{index.unique ? ', unique' : ''}
						</li>{/each}
				</ul>
			{/if}
			{#if unfit}
				<h3 class="font-semibold">Records in which {unfit.column} is no date</h3>
				<div class="h-48 shrink-0" data-unfit>
					<ResultTable
						report="unfit:{source.name}.{table.name}"
						columns={unfit.rows.columns ?? []}
						rows={(unfit.rows.rows ?? []) as Row[]}
						kept={unfit.rows.rows?.length ?? 0}
						title="{table.name} in which {unfit.column} is no date"
					/>
				</div>
			{/if}
			<h3 class="font-semibold">First rows</h3>
			{#if rows}
				<div class="h-96 shrink-0">
					<ResultTable
						report="table:{source.name}.{table.name}"
						columns={rows.columns ?? []}
						rows={(rows.rows ?? []) as Row[]}
						kept={rows.rows?.length ?? 0}
						title={table.name}
					/>
				</div>
			{:else}<Pending of={rowsOf} />{/if}
		{:else if source}
			<div class="flex flex-wrap items-baseline justify-between gap-3">
				<h2 class="text-xl font-semibold">
					{source.name}
					<span class="muted text-sm font-normal"
						>{source.engine}, {source.name === 'kept'
							? 'results that schedules keep'
							: isUploaded(source)
								? 'uploaded'
								: (infoOf(source.name)?.address ?? '')}</span
					>
				</h2>
				{#if manages}
					<span class="flex flex-wrap gap-2">
						{#if isUploaded(source)}
							<button type="button" class="button" onclick={() => (uploading = { files: [], into: source.name })}
								>Upload …</button
							>
						{:else}
							<button type="button" class="button" onclick={() => (connecting = { known: infoOf(source.name) })}
								>Change …</button
							>
						{/if}
						<button type="button" class="button" onclick={() => (forgetting = source.name)}>Forget …</button>
					</span>
				{/if}
			</div>
			{#if connection}
				<dl class="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-sm">
					<dt class="muted">Answers</dt>
					<dd>{connection.version}</dd>
					<dt class="muted">Time zone</dt>
					<dd>{connection.zone}</dd>
					<dt class="muted">Can only read</dt>
					<dd>
						{connection.read_only ? 'Yes: writing was tried and refused.' : 'NO: writing was not refused.'}
						<span class="muted">{connection.proof}</span>
					</dd>
					{#each connection.notes ?? [] as note, i (i)}
						<dt class="muted">Note</dt>
						<dd>{note}</dd>
					{/each}
				</dl>
			{:else}<Pending of={connectionOf} />{/if}
			{#if isUploaded(source)}<Uploads source={source.name} changes={manages} onchanged={load} />{/if}
			{#if account.authors}<Unfit source={source.name} />{/if}
			<p>Choose a table to see what its columns hold and its first rows.</p>
		{:else if loaded && sources.length}
			<p class="muted">Choose a source or a table.</p>
		{/if}
	</div>
</div>

{#if connecting}
	<Connection
		known={connecting.known}
		onclose={() => (connecting = undefined)}
		onsaved={async (saved) => {
			connecting = undefined;
			await load();
			push(at(saved.name));
		}}
	/>
{/if}
{#if uploading}
	<Upload
		dropped={uploading.files}
		into={uploading.into}
		onclose={() => (uploading = undefined)}
		onsaved={async (saved, file) => {
			uploading = undefined;
			await load();
			const made = saved.tables?.find((t) => t.evidence?.includes(file)) ?? saved.tables?.[0];
			push(at(saved.name, made?.name));
		}}
	/>
{/if}
{#if forgetting}
	<Dialog title="Forget {forgetting}" width="30rem" onclose={() => (forgetting = usedBy = '')}>
		<p>
			{#if isUploaded(sources.find((s) => s.name === forgetting))}
				The files that were uploaded to it are deleted, and what was said of them is forgotten.
			{:else}
				Pike Gate forgets how the database is reached, and how its dates are stored. Nothing in the database is touched.
			{/if}
		</p>
		{#if usedBy}<p class="wash-warn text-sm" role="alert">{usedBy} They will not run any more.</p>{/if}
		{#snippet foot(close)}
			<button type="button" class="button" onclick={close}>Keep it</button>
			<button type="button" class="button-act" onclick={() => forget(forgetting, usedBy !== '')}
				>{usedBy ? 'Forget it anyway' : 'Forget it'}</button
			>
		{/snippet}
	</Dialog>
{/if}
