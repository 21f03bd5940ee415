<script lang="ts">
	// How CSV is written. What is not chosen is as it is elsewhere.
	import type { CSVFormat } from '../lib/api';
	import { decimalMarks, delimiters, textEncodings, type Choices } from '../lib/written';

	let { value = $bindable(), usual }: { value: CSVFormat; usual: string } = $props();

	const fields: { name: keyof CSVFormat; label: string; choices: Choices }[] = [
		{ name: 'delimiter', label: 'Delimiter', choices: delimiters },
		{ name: 'decimal', label: 'Decimal mark', choices: decimalMarks },
		{ name: 'encoding', label: 'Encoding', choices: textEncodings },
		{
			name: 'mark',
			label: 'Byte-order mark',
			choices: [
				['yes', 'Yes'],
				['no', 'No'],
			],
		},
		{
			name: 'values',
			label: 'Values',
			choices: [
				['raw', 'Raw, for programs'],
				['shown', 'As they are shown'],
			],
		},
	];
</script>

{#each fields as field (field.name)}
	<label class="text-sm"
		>{field.label}
		<select
			class="field"
			name={field.name}
			bind:value={() => value[field.name] ?? '', (v) => (value = { ...value, [field.name]: v || undefined })}
		>
			<option value="">{usual}</option>
			{#each field.choices as [mark, label] (mark)}<option value={mark}>{label}</option>{/each}
		</select></label
	>
{/each}
