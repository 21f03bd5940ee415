<script lang="ts">
	// What the second of two authors can do with the change of the first.
	let { mergeable, onsave }: { mergeable: boolean; onsave: (how: 'merge' | 'over') => void } = $props();
</script>

<p class="flex flex-wrap gap-2">
	{#if mergeable}<button type="button" class="button-act" onclick={() => onsave('merge')}>Keep both changes</button
		>{/if}
	<button type="button" class="button" onclick={() => onsave('over')}>Save this in the place of theirs</button>
</p>
