<script lang="ts">
	// How the values of a column are shown: their format, the words for some of them, and
	// when they stand out.
	import { lengths } from '../lib/dates';
	import { named } from '../lib/text';
	import { fieldsOf, textOf } from '../draft/definition';
	import type { Shown } from './building';
	import { isDated, isNumeric, type Shape } from './shape';

	let { shape, index, column, type }: { shape: Shape; index: number; column: Shown; type: string } = $props();

	const formats: Record<string, [string, string][]> = {
		number: [
			['', 'a number'],
			['money', 'money, with two places'],
			['hours', 'hours and minutes'],
			['minutes', 'minutes and seconds'],
		],
		date: [['', 'as the reader has it'], ...lengths.map((l): [string, string] => [l, l])],
	};
	const kind = $derived(isNumeric(type) ? 'number' : isDated(type) ? 'date' : '');
	const isNamed = $derived([...named, ...lengths].includes(column.format));
	const ways = [
		['', 'never'],
		['strong', 'strong letters'],
		['quiet', 'quiet letters'],
		['good', 'good ✓'],
		['warning', 'warning !'],
		['bad', 'bad ✗'],
	];
	const first = $derived(fieldsOf(Array.isArray(column.emphasis) ? column.emphasis[0] : column.emphasis));
	const several = $derived(Array.isArray(column.emphasis) && column.emphasis.length > 1);
	let when = $derived(textOf(first.when));
	const as = $derived(textOf(first.as));
	/** The condition is kept with its way: one without the other says nothing. */
	function emphasise(condition: string, way: string) {
		when = condition;
		shape.describe(index, 'emphasis', condition && way ? { when: condition, as: way } : undefined);
	}
</script>

{#if kind}
	<fieldset class="flex flex-wrap items-center gap-1" data-format>
		<legend class="text-ink-2">Shown as</legend>
		{#each formats[kind] as [format, words] (format)}
			<button
				type="button"
				class="chip"
				aria-pressed={(column.format === 'plain' ? '' : column.format) === format}
				onclick={() => shape.describe(index, 'format', format)}>{words}</button
			>
		{/each}
		<input
			class="field w-44"
			name="pattern"
			aria-label="A pattern"
			placeholder={kind === 'date' ? 'EEE d MMM y' : "#,##0.0' m'"}
			title="A pattern of the Unicode CLDR: {kind === 'date'
				? 'dd.MM.yyyy, d MMMM y, HH:mm'
				: "#,##0.00, 0.0%, '£'#,##0.00;('£'#,##0.00)"}"
			value={isNamed ? '' : column.format}
			onchange={(e) => shape.describe(index, 'format', e.currentTarget.value.trim())}
		/>
	</fieldset>
{/if}
<fieldset class="flex flex-wrap items-end gap-2" data-words>
	{#each [...(type === 'yes-no' ? ['yes', 'no'] : []), 'blank'] as word (word)}
		<label class="text-ink-2"
			>{word === 'blank' ? 'Where there is nothing' : `For ${word}`}
			<input
				class="field w-36"
				name="word-{word}"
				placeholder={word === 'blank' ? '' : word}
				value={textOf(fieldsOf(column.words)[word])}
				onchange={(e) => shape.say(index, word, e.currentTarget.value.trim())}
			/></label
		>
	{/each}
</fieldset>
<fieldset class="flex flex-wrap items-end gap-2" data-emphasis>
	{#if several}
		<p class="text-ink-2">It stands out in {(column.emphasis as unknown[]).length} ways, which the text says.</p>
	{:else}
		<label class="text-ink-2 grow"
			>Stands out when
			<input
				class="field font-mono text-[13px]"
				name="when"
				placeholder="{column.name} is blank"
				value={when}
				onchange={(e) => emphasise(e.currentTarget.value.trim(), as || 'strong')}
			/></label
		>
		<label class="text-ink-2"
			>as
			<select
				class="field"
				name="as"
				value={as}
				onchange={(e) => emphasise(when || `${column.name} is blank`, e.currentTarget.value)}
			>
				{#each ways as [way, words] (way)}<option value={way}>{words}</option>{/each}
			</select></label
		>
	{/if}
</fieldset>
