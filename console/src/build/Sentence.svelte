<script lang="ts">
	// The sentence that the service reads back, every part of which can be changed.
	import { link } from 'svelte-spa-router';
	import { itemsOf, textOf } from '../draft/definition';
	import type { Phrase } from '../lib/api';
	import { columnsOf, labelled, lowered, tablesOf, type Building } from './building';
	import { buildAddress } from '../lib/link';
	import Choice from './Choice.svelte';
	import ColumnPanel from './ColumnPanel.svelte';
	import Condition, { Pointing } from './Condition.svelte';
	import Panel from './Panel.svelte';
	import Pointed from './Pointed.svelte';
	import ReportParts from './ReportParts.svelte';
	import { isDated, orderWords, type Shape } from './shape';
	import * as change from './tree';
	import type { Place } from './tree';
	import type { Work } from './work.svelte';

	let {
		work,
		building,
		shape,
		typeOf,
		onopen,
	}: {
		work: Work;
		building: Building;
		shape: Shape;
		/** The type of a column of the result, or of the tables. */
		typeOf: (name: string) => string;
		/** Tells that a panel was opened, so that Escape can give back what was there. */
		onopen: () => void;
	} = $props();

	const pointing = new Pointing();
	let adding = $state.raw<Place>();
	// What a panel leads to is given back with it.
	let last = '';
	$effect.pre(() => {
		if (pointing.opened && !last) onopen();
		last = pointing.opened;
	});

	const value = $derived(work.reading.value ?? {});
	const columns = $derived(columnsOf(value));
	const isSQL = $derived(textOf(value.sql) !== '');
	const union = $derived(itemsOf(value.union).map(textOf));
	const queries = $derived(
		(work.found?.words ?? [])
			.filter((w) => w.kind === 'query')
			.map((w) => ({ value: w.text, text: w.about || labelled(w.text), note: w.text })),
	);
	const queryLabel = (name: string) => lowered(queries.find((q) => q.value === name)?.text ?? labelled(name));
	const sorts = $derived(shape.sorts);
	/** What can be sorted by: the columns, all of them where none are named. */
	const sortable = $derived(
		columns.length
			? columns.map((c) => ({ value: c.name, text: c.label }))
			: building.subjects.map((s) => ({ value: s.text, text: s.label })),
	);
	const labelOf = (by: string) => lowered(columns.find((c) => c.name === by || c.value === by)?.label ?? labelled(by));
	const orderBy = (by: string, descending: boolean) =>
		orderWords(typeOf(by), columns.find((c) => c.name === by)?.value ?? by, descending);
	const problems = $derived(work.problems.filter((p) => work.inCriteria(p)));

	const back = () => {
		pointing.opened = '';
		adding = undefined;
		building.back();
	};
	function begin(group: Place) {
		adding = group;
		pointing.opened = 'add:' + group.join('.');
	}
	function addCondition(text: string) {
		const group = adding ?? [];
		const tree = work.tree!.condition;
		const shared = text.startsWith('meets ');
		const limit = text === only;
		const s = building.subjects.find((s) => s.text === text);
		const made: Phrase = shared
			? { kind: 'meets', text: text.slice(6) }
			: limit
				? { kind: 'first', comparison: 'first', values: [{ from: 'fixed', text: '10' }] }
				: s
					? {
							kind: 'says',
							subject: { text: s.text, label: s.label, type: s.type, column: columnOf(s.text) },
							comparison: building.operatorsOf(s.type)[0]!.comparison,
							values: [],
						}
					: { kind: 'text', text: '' };
		const at = [...group, change.at(tree, group)?.parts?.length ?? 0];
		building.change(change.insert(tree, group, made));
		adding = undefined;
		pointing.opened = shared || limit ? '' : `${at.join('.')}:${s ? 'value' : 'text'}`;
	}
	/** TABLE.COLUMN, for a column of the tables of the query. */
	function columnOf(text: string): string {
		const bare = text.replaceAll('"', '');
		const [as, column] = bare.includes('.') ? bare.split(/\.(?=[^.]*$)/) : [undefined, bare];
		const tables = tablesOf(value);
		return `${(as === undefined ? tables[0] : tables.find((t) => t.as === as))?.table ?? as}.${column}`;
	}
	const criteria = $derived((work.found?.words ?? []).filter((w) => w.kind === 'criterion'));
	/** The choice of how many records are left, which is among all others only once. */
	const only = 'first 10';
	const limited = $derived(work.tree?.condition.parts?.some((p) => p.kind === 'first') || value.union !== undefined);
	const options = $derived([
		...building.subjects.map((s) => ({ value: s.text, text: s.label, note: s.text })),
		...criteria.map((w) => ({ value: w.text, text: labelled(w.text.slice(6)), note: 'shared condition' })),
		...(adding?.length === 0 && !limited
			? [{ value: only, text: 'Only the first records', note: 'or the greatest, for each of something' }]
			: []),
		{ value: '', text: 'Any condition, as text', note: '' },
	]);
</script>

<div class="text-[19px] leading-[2.05]" data-sentence>
	{#if (value.from !== undefined || value.union !== undefined) && !isSQL}
		<div>
			<span class="text-ink-2">Show</span>
			{#if value.union !== undefined}
				{#each union as name, i (i)}
					<span class="text-ink-2">{i ? ' and' : ''}</span>
					<Pointed
						{pointing}
						onback={back}
						id={`union:${i}`}
						text={queryLabel(name)}
						label="The query {name}"
						class="phrase"
						data-union={name}
						title={name}
					>
						{#snippet panel(close)}
							<Choice
								label="Query"
								options={queries.filter((q) => q.value === name || !union.includes(q.value))}
								chosen={name}
								onchoose={(to) => {
									close();
									shape.query(['union', i], to);
								}}
							/>
							<div class="flex gap-2">
								{#if i > 0}<button
										type="button"
										class="button"
										onclick={() => {
											close();
											shape.moveQuery(i, i - 1);
										}}>Move up</button
									>{/if}
								{#if union.length > 2}<button
										type="button"
										class="button"
										onclick={() => {
											close();
											shape.query(['union', i], undefined);
										}}>Remove</button
									>{/if}
								<a class="button" href={buildAddress('query', name)} use:link>Open it</a>
							</div>
						{/snippet}
					</Pointed>
				{/each}
				<Pointed
					{pointing}
					onback={back}
					id="union"
					text="+"
					label="Add a query"
					class="text-act min-h-6 min-w-6 font-semibold"
					aria-label="Add a query"
				>
					{#snippet panel(close)}
						<Choice
							label="Query"
							options={queries.filter((q) => !union.includes(q.value))}
							onchoose={(name) => {
								close();
								shape.addQuery(name);
							}}
						/>
					{/snippet}
				</Pointed>
				<span class="text-ink-2">below each other,</span>
			{:else}
				<span class="font-semibold">{textOf(value.from).replaceAll('_', ' ')}</span>
			{/if}
			<span class="text-ink-2">with{columns.length ? '' : ' all columns'}</span>
			{#each columns as c, i (i)}
				<Pointed
					{pointing}
					onback={back}
					id={`column:${i}`}
					text={lowered(c.label)}
					label="The column {c.label}"
					class="phrase"
					data-column={c.name}
					title={c.value}
				>
					{#snippet panel(close)}
						<ColumnPanel {shape} subjects={building.subjects} index={i} type={typeOf(c.name)} onclose={close} />
					{/snippet}
				</Pointed>{i < columns.length - 1 ? ', ' : ' '}
			{/each}
			{#if columns.length || value.union === undefined}
				<Pointed
					{pointing}
					onback={back}
					id="columns"
					text="+"
					label="Add a column"
					class="text-act min-h-6 min-w-6 font-semibold"
					aria-label="Add a column"
				>
					{#snippet panel(close)}
						<Choice
							label="Column"
							options={building.subjects
								.filter((s) => !columns.some((c) => c.value === s.text))
								.map((s) => ({ value: s.text, text: s.label, note: s.text }))}
							onchoose={(text) => {
								close();
								shape.addColumn(text);
							}}
						/>
					{/snippet}
				</Pointed>
			{/if}
		</div>
	{:else if isSQL}
		<p class="text-ink-2">What is written in SQL, with</p>
	{/if}

	{#each work.tree?.condition.parts ?? [], i}
		<Condition
			tree={work.tree!.condition}
			place={[i]}
			word={i === 0 ? 'where' : 'and'}
			{building}
			{pointing}
			counts={work.counts}
			{problems}
			onadd={begin}
		/>
	{/each}
	<div class="relative flex flex-wrap items-center gap-x-4">
		<button
			type="button"
			class="text-act text-sm font-semibold"
			data-add-condition
			aria-expanded={pointing.opened === 'add:'}
			onclick={() => begin([])}>+ condition</button
		>
		{#if work.counts?.many}
			<button type="button" class="text-ink-2 text-sm underline" onclick={() => work.countAnyway()}
				>Count them, which may take a while</button
			>
		{/if}
		{#if pointing.opened.startsWith('add:')}
			<Panel label="A condition on" onclose={back} onback={back}>
				<Choice label="Column" {options} onchoose={addCondition} />
			</Panel>
		{/if}
	</div>
	{#each work.refused as p, i (i)}
		<p class="wash-bad my-1 text-sm leading-normal" role="alert">{p.message} {p.hint ?? ''}</p>
	{/each}

	{#if value.from !== undefined || value.union !== undefined}
		<div data-sorting>
			{#each sorts as s, i (i)}
				<span class="text-ink-2">{i ? ' then' : ''}</span>
				<Pointed
					{pointing}
					onback={back}
					id={`sort:${i}`}
					text={orderBy(s.by, s.descending)}
					label="The order"
					class="phrase compared"
				>
					{#snippet panel(close)}
						<div class="flex flex-wrap gap-1">
							{#each [false, true] as descending (descending)}
								<button
									type="button"
									class="chip"
									aria-pressed={s.descending === descending}
									onclick={() => {
										shape.setSort(i, s.by, descending);
										close();
									}}>{orderBy(s.by, descending)}</button
								>
							{/each}
						</div>
						<button
							type="button"
							class="button"
							onclick={() => {
								close();
								shape.query(['sort', i], undefined);
							}}>Remove</button
						>
					{/snippet}
				</Pointed>
				<span class="text-ink-2">by</span>
				<Pointed {pointing} onback={back} id={`by:${i}`} text={labelOf(s.by)} label="Sorted by" class="phrase">
					{#snippet panel(close)}
						<Choice
							label="Column"
							options={sortable}
							chosen={s.by}
							onchoose={(by) => {
								close();
								shape.setSort(i, by, s.descending);
							}}
						/>
					{/snippet}
				</Pointed>
			{/each}
			<Pointed
				{pointing}
				onback={back}
				id="sort"
				text={sorts.length ? '+ then by' : '+ order'}
				label="Sorted by"
				class="text-act text-sm font-semibold"
				data-add-sort="yes"
			>
				{#snippet panel(close)}
					<Choice
						label="Column"
						options={sortable.filter((c) => !sorts.some((s) => s.by === c.value))}
						onchoose={(by) => {
							close();
							shape.sortBy(by, isDated(typeOf(by)) ? 'descending' : 'ascending');
						}}
					/>
				{/snippet}
			</Pointed>
		</div>
	{/if}
	{#if shape.has}<ReportParts {shape} {pointing} {typeOf} onback={back} />{/if}
</div>
