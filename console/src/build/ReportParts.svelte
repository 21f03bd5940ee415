<script lang="ts">
	// What the report makes of the records, in the sentence: its groups, its totals, and what
	// is drawn.
	import Choice from './Choice.svelte';
	import type { Pointing } from './Condition.svelte';
	import Panel from './Panel.svelte';
	import { putTogether, takeApart, totalsOf, units, wordsOf, type Drawing, type Grouping, type Shape } from './shape';

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

	const close = () => (pointing.opened = '');
	const toggle = (what: string) => (pointing.opened = pointing.opened === what ? '' : what);
	const columns = $derived(shape.columns.filter((c) => shape.shown.includes(c.name)));
	const words = (text: string) => wordsOf(text, shape.columns);
	const isNumber = (name: string) => ['integer', 'decimal'].includes(typeOf(name));
	const isDate = (name: string) => ['date', 'date-time'].includes(typeOf(name));

	/** What records can be told apart by: columns, and the units of dates. */
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
	const begun = (): Drawing => ({
		kind: 'bars',
		x:
			shape.groups[0]?.by ??
			(months.find((m) => m.of === shape.sorts[0]?.by) ?? months[0])?.text ??
			apart[0]?.value ??
			'',
		y: 'count',
		split: '',
	});
	const drawn: { field: 'y' | 'x' | 'split'; before: string; add: string }[] = [
		{ field: 'y', before: 'of', add: '' },
		{ field: 'x', before: 'by', add: '' },
		{ field: 'split', before: 'for each', add: '+ for each' },
	];
</script>

{#snippet phrase(id: string, text: string, label: string)}
	<button
		type="button"
		class="phrase"
		data-part-of-report={id}
		aria-label="{label}: {text}"
		aria-expanded={pointing.opened === id}
		onclick={() => toggle(id)}>{text}</button
	>
{/snippet}
{#snippet adder(id: string, text: string, label: string)}
	<button
		type="button"
		class="text-act min-h-6 min-w-6 text-sm font-semibold"
		data-add-part={id}
		aria-label={label}
		aria-expanded={pointing.opened === id}
		onclick={() => toggle(id)}>{text}</button
	>
{/snippet}

<div data-report-parts>
	{#each shape.groups as g, i (i)}
		<div>
			<span class="text-ink-2">{i ? 'and in each a group for each' : 'in a group for each'}</span>
			<span class="relative"
				>{@render phrase(`group:${i}`, words(g.by), 'Group')}{#if pointing.opened === `group:${i}`}
					<Panel label="A group for each" onclose={close} {onback}>
						<Choice
							label="A group for each"
							options={apart}
							chosen={g.by}
							onchoose={(by) => {
								close();
								shape.setGroup(i, { by, totals: g.totals });
							}}
						/>
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
							<button
								type="button"
								class="button"
								onclick={() => {
									close();
									shape.dropGroup(i);
								}}>Remove</button
							>
						</div>
					</Panel>
				{/if}</span
			>
			<span class="text-ink-2">with</span>
			<span class="relative"
				>{#if g.totals.length}{@render phrase(
						`group-totals:${i}`,
						g.totals.map(words).join(', '),
						'Totals of the group',
					)}{:else}{@render adder(
						`group-totals:${i}`,
						'+ total',
						'Add a total of the group',
					)}{/if}{#if pointing.opened === `group-totals:${i}`}
					<Panel label="Totals of the group" onclose={close} {onback}>
						{#if g.totals.length}
							<div class="flex flex-wrap gap-1">
								{#each g.totals as t (t)}
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
					</Panel>
				{/if}</span
			>
		</div>
	{/each}
	{#if shape.totals.length}
		<div>
			<span class="text-ink-2">in total</span>
			{#each shape.totals as t, i (t)}
				<span class="relative"
					>{@render phrase(`total:${i}`, words(t), 'Total')}{#if pointing.opened === `total:${i}`}
						<Panel label="A total" onclose={close} {onback}>
							<Choice
								label="Total"
								options={made}
								chosen={t}
								onchoose={(text) => {
									close();
									shape.report(['totals', i], text);
								}}
							/>
							<button
								type="button"
								class="button"
								onclick={() => {
									close();
									shape.total(t, false);
								}}>Remove</button
							>
						</Panel>
					{/if}</span
				>{i < shape.totals.length - 1 ? ', ' : ''}
			{/each}
		</div>
	{/if}
	{#if shape.drawing}
		{@const d = shape.drawing}
		<div>
			<span class="text-ink-2">drawn as</span>
			<span class="relative"
				>{@render phrase('chart', d.kind, 'Drawing')}{#if pointing.opened === 'chart'}
					<Panel label="The drawing" onclose={close} {onback}>
						<div class="flex flex-wrap gap-1">
							{#each ['bars', 'lines'] as kind (kind)}
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
						<button
							type="button"
							class="button"
							onclick={() => {
								close();
								shape.draw(undefined);
							}}>Remove</button
						>
					</Panel>
				{/if}</span
			>
			{#each drawn as part (part.field)}
				{@const text = d[part.field]}
				{space}{#if text}<span class="text-ink-2">{part.before}</span>{/if}
				<span class="relative"
					>{#if text}{@render phrase(
							`chart:${part.field}`,
							words(text),
							'Drawing ' + part.before,
						)}{:else}{@render adder(
							`chart:${part.field}`,
							part.add,
							'Draw one for each',
						)}{/if}{#if pointing.opened === `chart:${part.field}`}
						<Panel label="Drawn {part.before}" onclose={close} {onback}>
							<Choice
								label="Drawn {part.before}"
								options={part.field === 'y' ? drawable : apart}
								chosen={text}
								onchoose={(to) => {
									close();
									shape.draw({ ...d, [part.field]: to });
								}}
							/>
							{#if part.field === 'split' && text}
								<button
									type="button"
									class="button"
									onclick={() => {
										close();
										shape.draw({ ...d, split: '' });
									}}>Remove</button
								>
							{/if}
						</Panel>
					{/if}</span
				>
			{/each}
		</div>
	{/if}
	<div class="flex flex-wrap items-baseline gap-x-4">
		<span class="relative"
			>{@render adder('group', '+ group', 'Add a group')}{#if pointing.opened === 'group'}
				<Panel label="A group for each" onclose={close} {onback}>
					<Choice
						label="A group for each"
						options={apart.filter((a) => !shape.groups.some((g) => g.by === a.value))}
						onchoose={(by) => {
							close();
							shape.addGroup(by);
						}}
					/>
				</Panel>
			{/if}</span
		>
		<span class="relative"
			>{@render adder('total', '+ total', 'Add a total')}{#if pointing.opened === 'total'}
				<Panel label="In total" onclose={close} {onback}>
					<Choice
						label="Total"
						options={made.filter((m) => !shape.totals.includes(m.value))}
						onchoose={(text) => {
							close();
							shape.total(text, true);
						}}
					/>
				</Panel>
			{/if}</span
		>
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
