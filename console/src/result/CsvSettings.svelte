<script lang="ts">
	// How CSV is written. What is not chosen is as it is elsewhere.
	import type { CSVFormat } from '../lib/api';

	let { value = $bindable(), usual }: { value: CSVFormat; usual: string } = $props();

	const fields: { name: keyof CSVFormat; label: string; choices: [string, string][] }[] = [
		{
			name: 'delimiter',
			label: 'Delimiter',
			choices: [
				[',', 'Commas'],
				[';', 'Semicolons'],
				['tab', 'Tabs'],
				['|', 'Bars'],
			],
		},
		{
			name: 'decimal',
			label: 'Decimal mark',
			choices: [
				['.', 'Point, 1234.5'],
				[',', 'Comma, 1234,5'],
			],
		},
		{
			name: 'encoding',
			label: 'Encoding',
			choices: [
				['utf-8', 'UTF-8'],
				['utf-16', 'UTF-16'],
				['windows-1252', 'Windows-1252'],
				['latin-1', 'Latin-1'],
			],
		},
		{
			name: 'mark',
			label: 'Byte-order mark',
			choices: [
				['yes', 'Yes'],
				['no', 'No'],
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
