<script lang="ts">
	// A list of the form: items are added, removed and moved.
	import { fieldsOf, type Path, type Value } from './definition';
	import { proposals } from './joins';
	import SchemaForm, { type Drafting } from './SchemaForm.svelte';
	import { full, isShort, shapeOf, spoken, type Schema } from './schema-form';

	let {
		name,
		schema,
		value,
		path,
		order,
		drafting,
	}: {
		name: string;
		schema: Schema;
		value: Value | undefined;
		path: Path;
		/** The order of the fields the list stands among. */
		order: string[];
		drafting: Drafting;
	} = $props();

	const shape = $derived(shapeOf(schema));
	// A list may also stand as one text alone; names are fields with free names.
	const items = $derived<Value[]>(Array.isArray(value) ? value : value === undefined || value === '' ? [] : [value]);
	const names = $derived(
		shape === 'names' && value && typeof value === 'object' && !Array.isArray(value) ? Object.entries(value) : [],
	);
	const item = $derived(schema.items);
	const itemShape = $derived(item ? shapeOf(full(item)) : 'text');
	let fresh = $state(-1);
	let added = $state('');

	/** What an item is called in its heading. */
	function heading(v: Value, i: number): string {
		if (typeof v !== 'object') return String(v) || `${i + 1}`;
		const fields = fieldsOf(v);
		if (itemShape === 'keyed') return Object.keys(fields)[0] ?? `${i + 1}`;
		const text = ['name', 'use', 'as', 'table', 'by', 'value', 'rule'].map((key) => fields[key]).find(Boolean);
		return typeof text === 'string' ? text : `${i + 1}`;
	}
	/** The full form of an item that is written as one text. */
	function unfold(text: string): Value {
		if (name === 'columns') return { name: text.split('.').pop()!, value: text };
		if (name === 'groups') return { by: text };
		if (itemShape === 'keyed') return { [text]: { label: '' } };
		return { value: text };
	}
	const blank = (): Value => {
		if (name === 'joins') return { table: '', on: '' };
		if (name === 'parameters') return { name: 'period', kind: 'period' };
		if (name === 'examples') return { as_of: '', expect: { rows: '0' } };
		return itemShape === 'fields' && item && !isShort(item) ? {} : 'name';
	};
	const offered = $derived.by((): string[] => {
		const taken = items.map((v, i) => heading(v, i));
		const columns = drafting.words.filter((w) => w.kind === 'column').map((w) => w.text);
		if (name === 'columns') return columns.filter((c) => !taken.includes(c) && !taken.includes(c.split('.').pop()!));
		if (name === 'sort') return (drafting.names.columns ?? []).flatMap((c) => [c + ' ascending', c + ' descending']);
		if (name === 'ask') return (drafting.names.questions ?? []).filter((q) => !taken.includes(q));
		if (name === 'groups') return columns;
		if (name === 'totals') return ['count', ...columns.map((c) => 'sum of ' + c)];
		return [];
	});
	const joins = $derived(
		name === 'joins' && path.length === 1 ? proposals(drafting.source, drafting.names.tablesInUse ?? []) : [],
	);
	function append(v: Value) {
		fresh = items.length;
		drafting.add(path, v, order);
	}
	const problems = (i: number) => drafting.problemsAt([...path, i]);
</script>

<fieldset class="min-w-0 space-y-1" data-list={name}>
	<legend class="muted text-sm font-semibold" title={schema.description}>{spoken(name)}</legend>
	{#if shape === 'names'}
		{#each names as [key, v] (key)}
			<div class="flex items-start gap-2 pl-3">
				<span class="w-28 truncate pt-1 text-sm">{key}</span>
				{#if typeof v === 'string' || Array.isArray(v)}
					<input
						class="field h-8 text-sm"
						aria-label="{spoken(name)} {key}"
						value={Array.isArray(v) ? v.join(', ') : v}
						onchange={(e) => drafting.set([...path, key], e.currentTarget.value)}
					/>
				{:else}
					<div class="grow">
						<SchemaForm
							schema={full(schema.additionalProperties as Schema)}
							value={fieldsOf(v)}
							path={[...path, key]}
							{drafting}
						/>
					</div>
				{/if}
				<button
					type="button"
					class="min-h-6 min-w-6"
					aria-label="Remove {key}"
					onclick={() => drafting.set([...path, key], undefined)}>✕</button
				>
			</div>
		{/each}
		<div class="flex gap-2 pl-3">
			<input
				class="field h-8 text-sm"
				list={name === 'tables' ? 'names-table' : 'names-questions'}
				aria-label="Name to add to {spoken(name).toLowerCase()}"
				bind:value={added}
			/>
			<button
				type="button"
				class="button"
				disabled={!added}
				onclick={() => {
					drafting.set([...path, added], added, order);
					added = '';
				}}>Add</button
			>
		</div>
	{:else}
		<ol class="space-y-1 pl-3">
			{#each items as v, i (i)}
				{@const short = typeof v === 'string'}
				<li class="flex items-start gap-1">
					<div class="min-w-0 grow">
						{#if short}
							<div class="flex gap-1">
								<input
									class="field h-8 text-sm"
									list={offered.length ? 'names-offered-' + name : undefined}
									aria-label="{spoken(name)} {i + 1}"
									value={v}
									onchange={(e) => drafting.set(Array.isArray(value) ? [...path, i] : path, e.currentTarget.value)}
								/>
								{#if item && isShort(item) && itemShape !== 'list'}
									<button
										type="button"
										class="button"
										aria-label="More about {v}"
										onclick={() => {
											fresh = i;
											drafting.set([...path, i], unfold(v));
										}}>More</button
									>
								{/if}
							</div>
						{:else}
							<details open={fresh === i || problems(i).length > 0}>
								<summary class="cursor-pointer py-0.5 text-sm">{heading(v, i)}</summary>
								<div class="py-1 pl-3">
									{#if itemShape === 'keyed'}
										<SchemaForm
											schema={full(item!).additionalProperties as Schema}
											value={fieldsOf(Object.values(fieldsOf(v))[0] ?? {})}
											path={[...path, i, Object.keys(fieldsOf(v))[0] ?? '']}
											primary={['label']}
											{drafting}
										/>
									{:else}
										<SchemaForm
											schema={full(item!)}
											value={fieldsOf(v)}
											path={[...path, i]}
											primary={name === 'parameters' && !fieldsOf(v).use ? ['name', 'kind', 'label', 'required'] : []}
											{drafting}
										/>
									{/if}
								</div>
							</details>
						{/if}
						{#if problems(i).length}<p class="text-bad text-sm">
								<span aria-hidden="true">▲</span>
								{problems(i).join(' ')}
							</p>{/if}
					</div>
					{#if Array.isArray(value)}
						<button
							type="button"
							class="min-h-6 min-w-6 disabled:opacity-40"
							disabled={i === 0}
							aria-label="Move {heading(v, i)} up"
							onclick={() => drafting.move(path, i, i - 1)}>↑</button
						>
						<button
							type="button"
							class="min-h-6 min-w-6 disabled:opacity-40"
							disabled={i === items.length - 1}
							aria-label="Move {heading(v, i)} down"
							onclick={() => drafting.move(path, i, i + 1)}>↓</button
						>
						<button
							type="button"
							class="min-h-6 min-w-6"
							aria-label="Remove {heading(v, i)}"
							onclick={() => drafting.set([...path, i], undefined)}>✕</button
						>
					{/if}
				</li>
			{/each}
		</ol>
		<div class="flex flex-wrap gap-1.5 pl-3">
			{#if offered.length}
				<datalist id="names-offered-{name}"
					>{#each offered as o (o)}<option value={o}></option>{/each}</datalist
				>
				<select
					class="muted rounded-base border-line-strong max-w-full border border-dashed bg-transparent px-2 py-0.5 text-sm"
					aria-label="Add to {spoken(name).toLowerCase()}"
					value=""
					onchange={(e) => {
						if (e.currentTarget.value) append(e.currentTarget.value);
						e.currentTarget.value = '';
					}}
				>
					<option value="">Add …</option>
					{#each offered as o (o)}<option value={o}>{o}</option>{/each}
				</select>
			{:else if name !== 'ask' && (Array.isArray(value) || items.length === 0)}
				<button type="button" class="button" onclick={() => append(blank())}
					>Add{name === 'parameters' ? ' a question' : ''}</button
				>
			{/if}
			{#if name === 'parameters'}
				{#each drafting.names.use ?? [] as shared (shared)}
					{#if !items.some((v) => fieldsOf(v).use === shared)}
						<button type="button" class="button" onclick={() => append({ use: shared })}>Use {shared}</button>
					{/if}
				{/each}
			{/if}
			{#if joins.some((j) => j.many)}
				<select
					class="muted rounded-base border-line-strong max-w-full border border-dashed bg-transparent px-2 py-0.5 text-sm"
					aria-label="Join a table with several records for each"
					value=""
					onchange={(e) => {
						const join = joins.find((j) => j.words === e.currentTarget.value);
						if (join) append(join.item);
						e.currentTarget.value = '';
					}}
				>
					<option value="">Join a table with several records for each …</option>
					{#each joins.filter((j) => j.many) as join (join.words)}<option value={join.words}>{join.words}</option
						>{/each}
				</select>
			{/if}
			{#each joins.filter((j) => !j.many) as join (join.words)}
				<button
					type="button"
					class="border-act rounded-base border px-2 py-0.5 text-left text-sm"
					data-proposal
					onclick={() => append(join.item)}>+ {join.words}</button
				>
			{/each}
		</div>
	{/if}
</fieldset>
