<script lang="ts" module>
	import type { Source, Word } from '../lib/api';
	import type { Path, Value } from './definition';
	import type { Schema } from './schema-form';

	/** What every part of the form needs. */
	export type Drafting = {
		set: (path: Path, value: Value | undefined, order?: string[]) => void;
		add: (path: Path, item: Value, order?: string[]) => void;
		move: (path: Path, from: number, to: number) => void;
		problemsAt: (path: Path) => string[];
		words: Word[];
		/** Names to choose from, by field. */
		names: Record<string, string[]>;
		source?: Source;
	};
</script>

<script lang="ts">
	// The fields of a definition, made from its schema: what is set is shown, and
	// everything else can be added.
	import Editor from './Editor.svelte';
	import FormItems from './FormItems.svelte';
	import Self from './SchemaForm.svelte';
	import { full, isShort, orderOf, shapeOf, spoken } from './schema-form';

	let {
		schema,
		value,
		path,
		primary = [],
		drafting,
	}: {
		schema: Schema;
		value: { [field: string]: Value };
		path: Path;
		/** Fields that are shown even while nothing is set. */
		primary?: string[];
		drafting: Drafting;
	} = $props();

	const order = $derived(orderOf(schema).filter((name) => name !== 'kind' || path.length > 0));
	let opened = $state<string[]>([]);
	const shown = $derived(
		order.filter(
			(name) => name in value || primary.includes(name) || schema.required?.includes(name) || opened.includes(name),
		),
	);
	const absent = $derived(order.filter((name) => !shown.includes(name)));
	const idOf = (name: string) => 'f-' + [...path, name].join('-');
	const wide = ['criteria', 'sql'];
	const listed = (name: string) =>
		drafting.names[name] ?? (expressions.includes(name) ? drafting.names.words : undefined);
	const expressions = ['value', 'by', 'x', 'y', 'split', 'on', 'where', 'rule', 'derive', 'column'];
	const textOf = (v: Value | undefined) => (typeof v === 'string' ? v : v === undefined ? '' : String(v));
	const exampleOf = (s: Schema) => (typeof s.examples?.[0] === 'string' ? s.examples[0] : '');
</script>

<div class="space-y-2">
	{#each shown as name (name)}
		{@const property = schema.properties![name]!}
		{@const shape = shapeOf(full(property))}
		{@const here = [...path, name]}
		{@const id = idOf(name)}
		{@const problems = drafting.problemsAt(here)}
		{#if shape === 'list' || shape === 'names'}
			<FormItems {name} schema={full(property)} value={value[name]} path={here} {order} {drafting} />
		{:else if shape === 'fields' && !(isShort(property) && typeof value[name] === 'string')}
			<fieldset class="border-line-strong min-w-0 border-l pl-3">
				<legend class="muted text-sm font-semibold" title={property.description}>{spoken(name)}</legend>
				<Self
					schema={full(property)}
					value={(value[name] ?? {}) as { [field: string]: Value }}
					path={here}
					{drafting}
				/>
			</fieldset>
		{:else if shape === 'flag'}
			<label class="flex items-center gap-2 text-sm" title={property.description}>
				<input
					type="checkbox"
					{id}
					checked={value[name] === true}
					onchange={(e) => drafting.set(here, e.currentTarget.checked || undefined, order)}
				/>
				{spoken(name)} <span class="muted">{property.description}</span>
			</label>
		{:else if wide.includes(name)}
			<div>
				<span class="muted mb-0.5 block text-sm" title={property.description}>{spoken(name)}</span>
				<div class="border-edge rounded-base h-28 resize-y overflow-hidden border">
					<Editor
						text={textOf(value[name]).trimEnd()}
						mode="criteria"
						label={spoken(name)}
						words={drafting.words}
						onchange={(text) => {
							const lines = text.trimEnd();
							if (lines !== textOf(value[name]).trimEnd()) drafting.set(here, lines && lines + '\n', order);
						}}
					/>
				</div>
			</div>
		{:else}
			<div class="grid grid-cols-[7rem_1fr] items-baseline gap-2">
				<label for={id} class="muted truncate text-sm" title={property.description}>{spoken(name)}</label>
				{#if shape === 'choice'}
					<select
						{id}
						class="field h-8 text-sm"
						value={textOf(value[name])}
						onchange={(e) => drafting.set(here, e.currentTarget.value, order)}
					>
						<option value=""></option>
						{#each full(property).enum ?? [] as word (word)}<option value={word}>{word}</option>{/each}
					</select>
				{:else}
					<input
						{id}
						class="field h-8 text-sm"
						list={listed(name) ? 'names-' + (drafting.names[name] ? name : 'words') : undefined}
						value={textOf(value[name])}
						placeholder={exampleOf(property)}
						aria-invalid={problems.length > 0}
						aria-describedby={problems.length ? id + '-problems' : undefined}
						onchange={(e) => drafting.set(here, e.currentTarget.value, order)}
					/>
				{/if}
			</div>
		{/if}
		{#if problems.length}
			<p id="{id}-problems" class="text-bad text-sm">
				<span aria-hidden="true">▲</span>
				{problems.join(' ')}
			</p>
		{/if}
	{/each}
	{#if absent.length}
		<select
			class="muted rounded-base border-line-strong max-w-full border border-dashed bg-transparent px-2 py-0.5 text-sm"
			aria-label="Add a field{path.length ? ' to ' + path.join(' ') : ''}"
			value=""
			onchange={(e) => {
				const name = e.currentTarget.value;
				if (name) opened = [...opened, name];
				e.currentTarget.value = '';
			}}
		>
			<option value="">Add …</option>
			{#each absent as name (name)}<option value={name}>{spoken(name)}: {schema.properties![name]!.description}</option
				>{/each}
		</select>
	{/if}
</div>
