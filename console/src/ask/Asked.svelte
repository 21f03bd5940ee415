<script lang="ts">
	// What was asked, what was typed, and what it was read as.
	let { lines }: { lines: { name: string; typed: string; read: string }[] } = $props();
</script>

<table class="w-full text-sm">
	<thead>
		<tr><th class="column-head">Question</th><th class="column-head">Typed</th><th class="column-head">Read as</th></tr>
	</thead>
	<tbody>
		{#each lines as line (line.name)}
			<tr class="align-top">
				<th scope="row" class="border-line border-b px-3 py-1.5 text-left font-normal">{line.name}</th>
				<td class="border-line border-b px-3 py-1.5">{line.typed}</td>
				<td class="border-line border-b px-3 py-1.5">{line.read}</td>
			</tr>
		{/each}
	</tbody>
</table>
