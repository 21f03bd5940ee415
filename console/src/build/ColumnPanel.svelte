<script lang="ts">
	// All that can be done with a column of the result, from the sentence and from the head
	// of the table.
	import type { Subject } from './building';
	import Made from './Made.svelte';
	import ShownAs from './ShownAs.svelte';
	import { isDated, orderWords, totals, totalsOf, units, putTogether, type Shape } from './shape';

	let {
		shape,
		subjects,
		index,
		type,
		onclose,
	}: {
		shape: Shape;
		/** The columns of the tables. */
		subjects: Subject[];
		/** Which column of the query, and its type. */
		index: number;
		type: string;
		onclose: () => void;
	} = $props();

	const c = $derived(shape.columns[index]!);
	const sorted = $derived(shape.sorts.find((s) => s.by === c.name));
	const dated = $derived(isDated(type));
	const shown = $derived(shape.shown.includes(c.name));
	const groupable = $derived((dated ? units : ['']).map((by) => putTogether({ by, of: c.name })));
	const made = $derived(totalsOf(type).map((by) => ({ words: totals[by], text: putTogether({ by, of: c.name }) })));
	const toggleGroup = (by: string) => {
		const at = shape.groups.findIndex((g) => g.by === by);
		if (at < 0) shape.addGroup(by);
		else shape.dropGroup(at);
	};
	function then(act: () => void) {
		onclose();
		act();
	}
</script>

<label class="block"
	>Heading <input
		class="field"
		data-first
		name="label"
		value={c.label}
		onchange={(e) => shape.describe(index, 'label', e.currentTarget.value.trim())}
	/></label
>
<label class="block"
	>Value <input
		class="field font-mono text-[13px]"
		name="value"
		list="names-words"
		value={c.value}
		onchange={(e) => shape.describe(index, 'value', e.currentTarget.value.trim())}
	/></label
>
<Made value={c.value} columns={subjects} onchange={(value) => shape.describe(index, 'value', value)} />
<fieldset class="flex flex-wrap items-center gap-1" data-order>
	<legend class="text-ink-2">Order</legend>
	{#each [false, true] as descending (descending)}
		{@const pressed = sorted?.descending === descending}
		<button
			type="button"
			class="chip"
			aria-pressed={pressed}
			onclick={() => shape.sortBy(c.name, pressed ? '' : descending ? 'descending' : 'ascending')}
			>{orderWords(type, c.value, descending)}</button
		>
	{/each}
</fieldset>
<ShownAs {shape} {index} column={c} {type} />
{#if shape.has}
	<fieldset class="flex flex-wrap items-center gap-1" data-grouped>
		<legend class="text-ink-2">A group for each</legend>
		{#each groupable as by, i (by)}
			<button
				type="button"
				class="chip"
				aria-pressed={shape.groups.some((g) => g.by === by)}
				onclick={() => toggleGroup(by)}>{dated ? units[i] : c.label}</button
			>
		{/each}
	</fieldset>
	<fieldset class="flex flex-wrap items-center gap-1" data-totals>
		<legend class="text-ink-2">In total</legend>
		{#each made as t (t.text)}
			<button
				type="button"
				class="chip"
				aria-pressed={shape.totals.includes(t.text)}
				onclick={() => shape.total(t.text, !shape.totals.includes(t.text))}>{t.words}</button
			>
		{/each}
	</fieldset>
{/if}
<div class="flex flex-wrap gap-1">
	<button
		type="button"
		class="button"
		disabled={index === 0}
		onclick={() => then(() => shape.moveColumn(index, index - 1))}>← Earlier</button
	>
	<button
		type="button"
		class="button"
		disabled={index === shape.columns.length - 1}
		onclick={() => then(() => shape.moveColumn(index, index + 1))}>Later →</button
	>
	{#if shape.has}
		<button
			type="button"
			class="button"
			disabled={shown && shape.shown.length === 1}
			onclick={() => then(() => shape.show(c.name, !shown))}>{shown ? 'Hide' : 'Show'}</button
		>
	{/if}
	<button
		type="button"
		class="button"
		disabled={shape.columns.length === 1}
		onclick={() => then(() => shape.dropColumn(index))}>Remove</button
	>
</div>
