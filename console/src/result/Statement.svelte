<script lang="ts">
	// A statement as the database gets it, and the values bound to it.
	let { sql, values }: { sql: string; values: { number: number; value: unknown }[] } = $props();
</script>

<section>
	<h3 class="mb-1 font-semibold">SQL</h3>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
	<pre class="bg-wash rounded-base mb-2 overflow-x-auto p-3" tabindex="0">{sql}</pre>
	<ol class="flex flex-wrap gap-x-5">
		{#each values as value (value.number)}
			<li><code>{value.number} = {JSON.stringify(value.value)}</code></li>
		{/each}
	</ol>
</section>
