<script lang="ts">
	// One of many, found by typing: what is typed narrows the list.
	let {
		label,
		options,
		chosen = '',
		onchoose,
	}: {
		label: string;
		options: { value: string; text: string; note?: string }[];
		chosen?: string;
		onchoose: (value: string) => void;
	} = $props();

	let search = $state('');
	let here = $state(0);
	const id = $props.id();
	const found = $derived(
		options.filter((o) => (o.text + ' ' + o.value).toLowerCase().includes(search.trim().toLowerCase())).slice(0, 100),
	);
	function key(event: KeyboardEvent) {
		if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
			event.preventDefault();
			here = (here + (event.key === 'ArrowDown' ? 1 : found.length - 1)) % Math.max(found.length, 1);
			document.getElementById(`${id}-${here}`)?.scrollIntoView({ block: 'nearest' });
		} else if (event.key === 'Enter') {
			event.preventDefault();
			event.stopPropagation();
			const option = found[here];
			if (option) onchoose(option.value);
		}
	}
</script>

<input
	class="field"
	role="combobox"
	aria-label={label}
	aria-expanded="true"
	aria-controls="{id}-list"
	aria-activedescendant={found[here] ? `${id}-${here}` : undefined}
	placeholder="Type to find one"
	data-first
	bind:value={search}
	oninput={() => (here = 0)}
	onkeydown={key}
/>
<ul id="{id}-list" role="listbox" aria-label={label} class="-mx-1 max-h-60 overflow-y-auto">
	{#each found as option, i (option.value)}
		<li
			id="{id}-{i}"
			role="option"
			aria-selected={option.value === chosen}
			data-value={option.value}
			class="rounded-base flex min-h-7 cursor-pointer items-center justify-between gap-3 px-2 {i === here
				? 'bg-wash'
				: ''} {option.value === chosen ? 'text-act font-semibold' : ''}"
			onpointerdown={(e) => e.preventDefault()}
			onclick={() => onchoose(option.value)}
			onpointerenter={() => (here = i)}
			onkeydown={() => {}}
		>
			<span class="min-w-0 truncate">{option.text}</span>
			{#if option.note}<small class="text-ink-3 shrink-0">{option.note}</small>{/if}
		</li>
	{:else}<li class="muted px-2" role="option" aria-selected="false" aria-disabled="true">None is called so.</li>
	{/each}
</ul>
