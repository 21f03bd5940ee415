<script lang="ts">
	// The sentence that the service reads back, every part of which can be changed.
	import type { Path, Value } from '../draft/definition';
	import { add, itemsOf, move, set, textOf } from '../draft/definition';
	import { orderOf, type Schema } from '../draft/schema-form';
	import type { Phrase } from '../lib/api';
	import { columnsOf, labelled, lowered, tablesOf, type Building } from './building';
	import Choice from './Choice.svelte';
	import Condition, { Pointing } from './Condition.svelte';
	import Panel from './Panel.svelte';
	import * as change from './tree';
	import type { Place } from './tree';
	import type { Work } from './work.svelte';

	let {
		work,
		building,
		schema,
		onopen,
	}: {
		work: Work;
		building: Building;
		schema: Schema | undefined;
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
	const order = $derived(schema ? orderOf(schema) : []);
	const columns = $derived(columnsOf(value));
	const isSQL = $derived(textOf(value.sql) !== '');
	const sorts = $derived(
		itemsOf(value.sort).map((s) => {
			const [, by, direction = '', rest = ''] = /^(.*?)(?:\s+(ascending|descending))?(\s+blanks first)?$/.exec(
				textOf(s),
			)!;
			return { by: by!, descending: direction === 'descending', rest };
		}),
	);
	const typeOf = (by: string) => {
		const column = columns.find((c) => c.name === by)?.value ?? by;
		return building.subjects.find((s) => s.text === column)?.type ?? '';
	};
	const labelOf = (by: string) => lowered(columns.find((c) => c.name === by || c.value === by)?.label ?? labelled(by));
	const orderWords = (by: string, descending: boolean) => {
		const type = typeOf(by);
		if (type === 'date' || type === 'date-time') return descending ? 'the newest first' : 'the oldest first';
		if (type === 'integer' || type === 'decimal') return descending ? 'the largest first' : 'the smallest first';
		return descending ? 'from Z to A' : 'from A to Z';
	};
	const problems = $derived(work.problems.filter((p) => work.inCriteria(p)));

	const close = () => (pointing.opened = '');
	const back = () => {
		pointing.opened = '';
		adding = undefined;
		building.back();
	};
	const toggle = (what: string) => (pointing.opened = pointing.opened === what ? '' : what);
	const put = (path: Path, v: Value | undefined) => work.edit('query', (text) => set(text, path, v, order));

	/** A column as it stands in the list, one of its fields changed. */
	function describe(i: number, field: 'label' | 'name' | 'format', text: string) {
		const c = itemsOf(value.columns)[i]!;
		const now = columns[i]!;
		if (typeof c !== 'string') return put(['columns', i, field], text || undefined);
		if (!text || text === (field === 'name' ? now.name : '')) return;
		put(['columns', i], { name: now.name, value: now.value, [field]: text });
	}
	function drop(i: number) {
		const { name } = columns[i]!;
		close();
		work.edit('query', (text) => set(text, ['columns', i], undefined, order));
		const shown = work.reportReading.value?.columns;
		const at = Array.isArray(shown) ? shown.indexOf(name) : -1;
		if (at >= 0) work.edit('report', (text) => set(text, ['columns', at], undefined));
	}
	function begin(group: Place) {
		adding = group;
		pointing.opened = 'add:' + group.join('.');
	}
	function addCondition(text: string) {
		const group = adding ?? [];
		const tree = work.tree!.condition;
		const shared = text.startsWith('meets ');
		const s = building.subjects.find((s) => s.text === text);
		const made: Phrase = shared
			? { kind: 'meets', text: text.slice(6) }
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
		pointing.opened = shared ? '' : `${at.join('.')}:${s ? 'value' : 'text'}`;
	}
	/** TABLE.COLUMN, for a column of the tables of the query. */
	function columnOf(text: string): string {
		const bare = text.replaceAll('"', '');
		const [as, column] = bare.includes('.') ? bare.split(/\.(?=[^.]*$)/) : [undefined, bare];
		const tables = tablesOf(value);
		return `${(as === undefined ? tables[0] : tables.find((t) => t.as === as))?.table ?? as}.${column}`;
	}
	const criteria = $derived((work.found?.words ?? []).filter((w) => w.kind === 'criterion'));
	const options = $derived([
		...building.subjects.map((s) => ({ value: s.text, text: s.label, note: s.text })),
		...criteria.map((w) => ({ value: w.text, text: labelled(w.text.slice(6)), note: 'shared condition' })),
		{ value: '', text: 'Any condition, as text', note: '' },
	]);
</script>

<div class="text-[19px] leading-[2.05]" data-sentence>
	{#if value.from !== undefined && !isSQL}
		<div>
			<span class="text-ink-2">Show</span>
			<span class="font-semibold">{textOf(value.from).replaceAll('_', ' ')}</span>
			<span class="text-ink-2">with</span>
			{#each columns as c, i (i)}
				<span class="relative"
					><button
						type="button"
						class="phrase"
						data-column={c.name}
						title={c.value}
						aria-expanded={pointing.opened === `column:${i}`}
						onclick={() => toggle(`column:${i}`)}>{lowered(c.label)}</button
					>{#if pointing.opened === `column:${i}`}
						<Panel label="The column {c.label}" onclose={close} onback={back}>
							<label class="block"
								>Heading <input
									class="field"
									data-first
									name="label"
									value={c.label}
									onchange={(e) => describe(i, 'label', e.currentTarget.value.trim())}
								/></label
							>
							<label class="block"
								>Name <input
									class="field"
									name="column-name"
									value={c.name}
									onchange={(e) => describe(i, 'name', e.currentTarget.value.trim())}
								/></label
							>
							<label class="block"
								>Value <input
									class="field font-mono text-[13px]"
									name="value"
									list="names-words"
									value={c.value}
									onchange={(e) => {
										const text = e.currentTarget.value.trim();
										if (typeof itemsOf(value.columns)[i] === 'string')
											put(['columns', i], { name: c.name, value: text });
										else put(['columns', i, 'value'], text);
									}}
								/></label
							>
							<div class="flex flex-wrap gap-1">
								<button
									type="button"
									class="button"
									disabled={i === 0}
									onclick={() => {
										close();
										work.edit('query', (text) => move(text, ['columns'], i, i - 1));
									}}>← Earlier</button
								>
								<button
									type="button"
									class="button"
									disabled={i === columns.length - 1}
									onclick={() => {
										close();
										work.edit('query', (text) => move(text, ['columns'], i, i + 1));
									}}>Later →</button
								>
								<button type="button" class="button" disabled={columns.length === 1} onclick={() => drop(i)}
									>Remove</button
								>
							</div>
						</Panel>
					{/if}</span
				>{i < columns.length - 1 ? ', ' : ' '}
			{/each}
			<span class="relative"
				><button
					type="button"
					class="text-act min-h-6 min-w-6 font-semibold"
					aria-label="Add a column"
					aria-expanded={pointing.opened === 'columns'}
					onclick={() => toggle('columns')}>+</button
				>{#if pointing.opened === 'columns'}
					<Panel label="Add a column" onclose={close} onback={back}>
						<Choice
							label="Column"
							options={building.subjects
								.filter((s) => !columns.some((c) => c.value === s.text))
								.map((s) => ({ value: s.text, text: s.label, note: s.text }))}
							onchoose={(text) => {
								close();
								work.edit('query', (t) => add(t, ['columns'], text, order));
							}}
						/>
					</Panel>
				{/if}</span
			>
		</div>
	{:else if isSQL}
		<p class="text-ink-2">What is written in SQL, with</p>
	{/if}

	{#each work.tree?.condition.parts ?? [] as part, i (part.id ?? 'new' + i)}
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

	{#if value.from !== undefined}
		<div data-sorting>
			{#each sorts as s, i (i)}
				<span class="text-ink-2">{i ? ' then' : ''}</span>
				<span class="relative"
					><button
						type="button"
						class="phrase compared"
						aria-expanded={pointing.opened === `sort:${i}`}
						onclick={() => toggle(`sort:${i}`)}>{orderWords(s.by, s.descending)}</button
					>{#if pointing.opened === `sort:${i}`}
						<Panel label="The order" onclose={close} onback={back}>
							<div class="flex flex-wrap gap-1">
								{#each [false, true] as descending (descending)}
									<button
										type="button"
										class="chip"
										aria-pressed={s.descending === descending}
										onclick={() => {
											put(['sort', i], `${s.by} ${descending ? 'descending' : 'ascending'}${s.rest}`);
											close();
										}}>{orderWords(s.by, descending)}</button
									>
								{/each}
							</div>
							<button
								type="button"
								class="button"
								onclick={() => {
									close();
									put(['sort', i], undefined);
								}}>Remove</button
							>
						</Panel>
					{/if}</span
				>
				<span class="text-ink-2">by</span>
				<span class="relative"
					><button
						type="button"
						class="phrase"
						aria-expanded={pointing.opened === `by:${i}`}
						onclick={() => toggle(`by:${i}`)}>{labelOf(s.by)}</button
					>{#if pointing.opened === `by:${i}`}
						<Panel label="Sorted by" onclose={close} onback={back}>
							<Choice
								label="Column"
								options={columns.map((c) => ({ value: c.name, text: c.label }))}
								chosen={s.by}
								onchoose={(by) => {
									close();
									put(['sort', i], `${by} ${s.descending ? 'descending' : 'ascending'}${s.rest}`);
								}}
							/>
						</Panel>
					{/if}</span
				>
			{/each}
			<span class="relative"
				><button
					type="button"
					class="text-act text-sm font-semibold"
					data-add-sort
					aria-expanded={pointing.opened === 'sort'}
					onclick={() => toggle('sort')}>{sorts.length ? '+ then by' : '+ order'}</button
				>{#if pointing.opened === 'sort'}
					<Panel label="Sorted by" onclose={close} onback={back}>
						<Choice
							label="Column"
							options={columns
								.filter((c) => !sorts.some((s) => s.by === c.name))
								.map((c) => ({ value: c.name, text: c.label }))}
							onchoose={(by) => {
								close();
								const dated = ['date', 'date-time'].includes(typeOf(by));
								work.edit('query', (t) => add(t, ['sort'], `${by} ${dated ? 'descending' : 'ascending'}`, order));
							}}
						/>
					</Panel>
				{/if}</span
			>
		</div>
	{/if}
</div>
