<script lang="ts">
	// What the report makes of the records, in the sentence: its groups, its totals, and what
	// is drawn.
	import Choice from './Choice.svelte';
	import type { Pointing } from './Condition.svelte';
	import Pointed from './Pointed.svelte';
	import {
		groupOptions,
		isDated,
		isNumeric,
		putTogether,
		takeApart,
		totalsOf,
		units,
		wordsOf,
		type Drawing,
		type GroupOption,
		type Grouping,
		type Shape,
	} from './shape';

	let {
		shape,
		pointing,
		typeOf,
		onback,
	}: {
		shape: Shape;
		pointing: Pointing;
		/** The type of a column of the result. */
		typeOf: (name: string) => string;
		onback: () => void;
	} = $props();

	const columns = $derived(shape.columns.filter((c) => shape.shown.includes(c.name)));
	const words = (text: string) => wordsOf(text, shape.columns);
	const isNumber = (name: string) => isNumeric(typeOf(name));
	const isDate = (name: string) => isDated(typeOf(name));

	/** What a group or a drawing can be by: columns, and the units of dates. */
	const apart = $derived(
		columns.flatMap((c) =>
			(isDate(c.name) ? ['month', ...units.filter((u) => u !== 'month'), ''] : ['']).map((by) => {
				const text = putTogether({ by, of: c.name });
				return { value: text, text: words(text) };
			}),
		),
	);
	/** What can be made of records. */
	const made = $derived([
		{ value: 'count', text: words('count') },
		...[...columns.filter((c) => isNumber(c.name)), ...columns.filter((c) => !isNumber(c.name))].flatMap((c) =>
			totalsOf(typeOf(c.name)).map((by) => {
				const text = putTogether({ by, of: c.name });
				return { value: text, text: words(text) };
			}),
		),
	]);
	const drawable = $derived(
		made.filter((m) => {
			const { by, of } = takeApart(m.value);
			return by === 'count' || by === 'count distinct' || isNumber(of);
		}),
	);
	function toggleTotal(g: Grouping, i: number, text: string) {
		shape.setGroup(i, {
			by: g.by,
			totals: g.totals.includes(text) ? g.totals.filter((t) => t !== text) : [...g.totals, text],
		});
	}
	const months = $derived(
		columns.filter((c) => isDate(c.name)).map((c) => ({ of: c.name, text: putTogether({ by: 'month', of: c.name }) })),
	);
	const space = ' ';
	/** A part that is there, and what adds one. */
	const phrase = (id: string, text: string, what: string) => ({
		id,
		text,
		class: 'phrase',
		'data-part-of-report': id,
		'aria-label': `${what}: ${text}`,
	});
	const adder = (id: string, text: string, what: string) => ({
		id,
		text,
		class: 'text-act min-h-6 min-w-6 text-sm font-semibold',
		'data-add-part': id,
		'aria-label': what,
	});
	const begun = (): Drawing => ({
		kind: 'bars',
		x:
			shape.groups[0]?.by ??
			(months.find((m) => m.of === shape.sorts[0]?.by) ?? months[0])?.text ??
			apart[0]?.value ??
			'',
		y: 'count',
		split: '',
		panels: '',
		beside: false,
	});
	const drawn: { field: 'y' | 'x' | 'split' | 'panels'; before: string; add: string }[] = [
		{ field: 'y', before: 'of', add: '' },
		{ field: 'x', before: 'by', add: '' },
		{ field: 'split', before: 'for each', add: '+ for each' },
		{ field: 'panels', before: 'with a drawing for each', add: '+ drawing for each' },
	];
</script>

{#snippet removed(close: () => void, remove: () => void)}
	<button
		type="button"
		class="button"
		onclick={() => {
			close();
			remove();
		}}>Remove</button
	>
{/snippet}
{#snippet chosen(
	label: string,
	options: { value: string; text: string }[],
	close: () => void,
	choose: (value: string) => void,
	now = '',
)}
	<Choice
		{label}
		{options}
		chosen={now}
		onchoose={(value) => {
			close();
			choose(value);
		}}
	/>
{/snippet}

<div data-report-parts>
	{#each shape.groups as g, i (i)}
		<div>
			<span class="text-ink-2">{i ? 'and in each a group for each' : 'in a group for each'}</span>
			<Pointed {pointing} {onback} label="A group for each" {...phrase(`group:${i}`, words(g.by), 'Group')}>
				{#snippet panel(close)}
					{@render chosen('A group for each', apart, close, (by) => shape.setGroup(i, { by, totals: g.totals }), g.by)}
					<div class="flex flex-wrap gap-1">
						<button type="button" class="button" disabled={i === 0} onclick={() => shape.moveGroup(i, i - 1)}
							>↑ Outwards</button
						>
						<button
							type="button"
							class="button"
							disabled={i === shape.groups.length - 1}
							onclick={() => shape.moveGroup(i, i + 1)}>↓ Inwards</button
						>
						{@render removed(close, () => shape.dropGroup(i))}
					</div>
					<fieldset class="flex flex-wrap gap-1" data-group-shown>
						<legend class="text-ink-2">Shown with</legend>
						{#each Object.entries(groupOptions) as [option, label] (option)}
							{@const on = g.shown?.includes(option as GroupOption) ?? false}
							{#if option !== 'once' || !takeApart(g.by).by}
								<button
									type="button"
									class="chip"
									aria-pressed={on}
									onclick={() =>
										shape.setGroup(i, {
											...g,
											shown: on ? g.shown!.filter((o) => o !== option) : [...(g.shown ?? []), option as GroupOption],
										})}>{label}</button
								>
							{/if}
						{/each}
					</fieldset>
				{/snippet}
			</Pointed>
			<span class="text-ink-2">with</span>
			<Pointed
				{pointing}
				{onback}
				label="Totals of the group"
				{...g.totals.length
					? phrase(`group-totals:${i}`, g.totals.map(words).join(', '), 'Totals of the group')
					: adder(`group-totals:${i}`, '+ total', 'Add a total of the group')}
			>
				{#snippet panel()}
					{#if g.totals.length}
						<div class="flex flex-wrap gap-1">
							{#each g.totals as t, at (at)}
								<button
									type="button"
									class="chip"
									aria-pressed="true"
									title="Remove"
									onclick={() => toggleTotal(g, i, t)}>{words(t)} <span aria-hidden="true">✕</span></button
								>
							{/each}
						</div>
					{/if}
					<Choice
						label="Add a total"
						options={made.filter((m) => !g.totals.includes(m.value))}
						onchoose={(text) => toggleTotal(g, i, text)}
					/>
				{/snippet}
			</Pointed>
		</div>
	{/each}
	{#if shape.crossing}
		{@const c = shape.crossing}
		<div>
			<span class="text-ink-2">across</span>
			<Pointed {pointing} {onback} label="Across" {...phrase('across', words(c.by), 'Across')}>
				{#snippet panel(close)}
					{@render chosen('Across', apart, close, (by) => shape.cross({ ...c, by }), c.by)}
					<Choice
						label="Each cell"
						options={made}
						chosen={c.of[0] ?? 'count'}
						onchoose={(text) => shape.cross({ ...c, of: text === 'count' ? [] : [text] })}
					/>
					{@render removed(close, () => shape.cross(undefined))}
				{/snippet}
			</Pointed>
			<span class="text-ink-2">with {(c.of.length ? c.of : ['count']).map(words).join(', ')}</span>
		</div>
	{/if}
	{#if shape.totals.length}
		<div>
			<span class="text-ink-2">in total</span>
			{#each shape.totals as t, i (i)}
				<Pointed {pointing} {onback} label="A total" {...phrase(`total:${i}`, words(t), 'Total')}>
					{#snippet panel(close)}
						{@render chosen('Total', made, close, (text) => shape.report(['totals', i], text), t)}
						{@render removed(close, () => shape.total(t, false))}
					{/snippet}
				</Pointed>{i < shape.totals.length - 1 ? ', ' : ''}
			{/each}
		</div>
	{/if}
	{#if shape.drawing}
		{@const d = shape.drawing}
		<div>
			<span class="text-ink-2">drawn as</span>
			<Pointed {pointing} {onback} label="The drawing" {...phrase('chart', d.kind, 'Drawing')}>
				{#snippet panel(close)}
					<div class="flex flex-wrap gap-1">
						{#each ['bars', 'lines', 'areas', 'points'] as kind (kind)}
							<button
								type="button"
								class="chip"
								aria-pressed={d.kind === kind}
								onclick={() => {
									close();
									shape.draw({ ...d, kind });
								}}>{kind}</button
							>
						{/each}
					</div>
					{#if d.kind === 'bars' || d.kind === 'areas'}
						<button
							type="button"
							class="chip"
							aria-pressed={d.beside}
							onclick={() => shape.draw({ ...d, beside: !d.beside })}>beside each other</button
						>
					{/if}
					{@render removed(close, () => shape.draw(undefined))}
				{/snippet}
			</Pointed>
			{#each drawn as part (part.field)}
				{@const text = d[part.field]}
				{@const label = `Drawn ${part.before}`}
				{space}{#if text}<span class="text-ink-2">{part.before}</span>{/if}
				<Pointed
					{pointing}
					{onback}
					{label}
					{...text
						? phrase(`chart:${part.field}`, words(text), 'Drawing ' + part.before)
						: adder(
								`chart:${part.field}`,
								part.add,
								part.field === 'panels' ? 'Add a drawing for each' : 'Draw one for each',
							)}
				>
					{#snippet panel(close)}
						{@render chosen(
							label,
							part.field === 'y' ? drawable : apart,
							close,
							(to) => shape.draw({ ...d, [part.field]: to }),
							text,
						)}
						{#if (part.field === 'split' || part.field === 'panels') && text}{@render removed(close, () =>
								shape.draw({ ...d, [part.field]: '' }),
							)}{/if}
					{/snippet}
				</Pointed>
			{/each}
		</div>
	{/if}
	<div class="flex flex-wrap items-baseline gap-x-4">
		<Pointed {pointing} {onback} label="A group for each" {...adder('group', '+ group', 'Add a group')}>
			{#snippet panel(close)}
				{@render chosen(
					'A group for each',
					apart.filter((a) => !shape.groups.some((g) => g.by === a.value)),
					close,
					(by) => shape.addGroup(by),
				)}
			{/snippet}
		</Pointed>
		<Pointed {pointing} {onback} label="In total" {...adder('total', '+ total', 'Add a total')}>
			{#snippet panel(close)}
				{@render chosen(
					'Total',
					made.filter((m) => !shape.totals.includes(m.value)),
					close,
					(text) => shape.total(text, true),
				)}
			{/snippet}
		</Pointed>
		{#if !shape.crossing && shape.groups.length}
			<Pointed {pointing} {onback} label="Across" {...adder('across', '+ across', 'Put values across')}>
				{#snippet panel(close)}
					{@render chosen(
						'Across',
						apart.filter((a) => !shape.groups.some((g) => g.by === a.value)),
						close,
						(by) => shape.cross({ by, of: [] }),
					)}
				{/snippet}
			</Pointed>
		{/if}
		{#if !shape.drawing && apart.length}
			<button
				type="button"
				class="text-act min-h-6 text-sm font-semibold"
				data-add-part="chart"
				onclick={() => shape.draw(begun())}>+ drawing</button
			>
		{/if}
	</div>
</div>
