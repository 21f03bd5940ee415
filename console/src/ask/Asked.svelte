<script lang="ts">
	// What was asked, what was typed, and what it was read as.
	let { lines }: { lines: { name: string; typed: string; read: string }[] } = $props();
</script>

<table class="mb-4 w-full text-sm">
	<thead class="muted text-left">
		<tr><th class="font-normal">Question</th><th class="font-normal">Typed</th><th class="font-normal">Read as</th></tr>
	</thead>
	<tbody>
		{#each lines as line (line.name)}
			<tr class="border-surface-200-800 border-t align-top">
				<th scope="row" class="py-1 pr-3 text-left font-normal">{line.name}</th>
				<td class="py-1 pr-3">{line.typed}</td>
				<td class="py-1">{line.read}</td>
			</tr>
		{/each}
	</tbody>
</table>
