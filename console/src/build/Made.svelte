<script lang="ts">
	// What a column is made of, part by part; what says more stays a text.
	import { makings, remade, takenApart, written, type Making } from './making';

	let {
		value,
		columns,
		onchange,
	}: {
		value: string;
		/** The columns of the tables, as they are written. */
		columns: { text: string; label: string }[];
		onchange: (value: string) => void;
	} = $props();

	const parts = $derived(takenApart(value));
	const known = $derived(makings.find((m) => m.made === parts?.made));
	const set = (to: Partial<Making>) => onchange(written({ ...parts!, ...to }));
	const named = (text: string) =>
		columns.some((c) => c.text === text) || !text ? columns : [{ text, label: text }, ...columns];
	const labelOf = (text: string) => columns.find((c) => c.text === text)?.label ?? text;
</script>

{#if parts && known}
	<fieldset class="flex flex-wrap items-center gap-1.5" data-made>
		<legend class="text-ink-2">Made</legend>
		<select
			class="field w-auto"
			aria-label="What is made"
			value={parts.made}
			onchange={(e) =>
				onchange(
					remade(
						parts,
						e.currentTarget.value,
						columns.map((c) => c.text),
					),
				)}
		>
			{#each makings.filter((m) => !('grouped' in m)) as m (m.made)}<option value={m.made}>{m.words}</option>{/each}
			<optgroup label="Of each group of records">
				{#each makings.filter((m) => 'grouped' in m) as m (m.made)}<option value={m.made}>{m.words}</option>{/each}
			</optgroup>
		</select>
		{#if parts.made === 'percentile'}
			<input
				class="field w-16"
				type="number"
				min="0"
				max="100"
				step="any"
				aria-label="Of a hundred"
				value={parts.percent}
				onchange={(e) => set({ percent: e.currentTarget.value })}
			/>
		{/if}
		{#if known.of}
			<span class="text-ink-2">{parts.made ? 'of' : ''}</span>
			<select
				class="field w-auto max-w-48"
				aria-label="Of what"
				value={parts.of}
				onchange={(e) => set({ of: e.currentTarget.value })}
			>
				{#each named(parts.of) as c (c.text)}<option value={c.text}>{c.label}</option>{/each}
			</select>
		{/if}
		{#if parts.made === 'rank'}
			<label class="flex items-center gap-1"
				><input
					type="checkbox"
					checked={parts.ascending}
					onchange={(e) => set({ ascending: e.currentTarget.checked })}
				/> the least first</label
			>
		{/if}
		{#if known.by}
			<span class="text-ink-2">for each</span>
			{#each parts.by as by, i (i)}
				<button
					type="button"
					class="chip"
					aria-pressed="true"
					onclick={() => set({ by: parts.by.filter((_, n) => n !== i) })}
					>{labelOf(by)} <span aria-hidden="true">×</span><span class="sr-only">, remove</span></button
				>
			{/each}
			<select
				class="field w-auto max-w-40"
				aria-label="For each"
				value=""
				onchange={(e) => set({ by: [...parts.by, e.currentTarget.value] })}
			>
				<option value="">{parts.by.length ? '…' : 'nothing else'}</option>
				{#each columns.filter((c) => !parts.by.includes(c.text)) as c (c.text)}<option value={c.text}>{c.label}</option
					>{/each}
			</select>
		{/if}
	</fieldset>
{/if}
