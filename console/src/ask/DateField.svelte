<script lang="ts">
	// One end of a period: a text field that takes ISO dates and words, and a
	// calendar to pick from, which is fetched when it is opened. What was typed is never changed behind one's back.

	let {
		id,
		label,
		quiet = false,
		value = $bindable(),
		read,
		earliest,
		latest,
		today,
		likely = '',
		calendar,
		problem,
	}: {
		id: string;
		label: string;
		/** The label is for screen readers only, since a heading says it already. */
		quiet?: boolean;
		value: string;
		/** How the field reads now, shown while it is empty. */
		read?: string;
		earliest?: string;
		latest?: string;
		today: string;
		/** Where records are, so that a calendar opens there. */
		likely?: string;
		/** The calendar whose holidays and named periods are shown. */
		calendar?: string;
		problem: boolean;
	} = $props();

	let open = $state(false);
	let box: HTMLDivElement;
	let input: HTMLInputElement;

	// The Enter that picks a day must not reach the field it goes back to, where it would run the report.
	let picking = false;

	function pick(day: string) {
		value = day;
		open = false;
		picking = true;
		input.focus();
	}
	function leave(event: FocusEvent) {
		if (event.relatedTarget && !box.contains(event.relatedTarget as Node)) open = false;
	}
	function key(event: KeyboardEvent) {
		if (event.key === 'Escape' && open) {
			event.stopPropagation();
			open = false;
			input.focus();
		} else if (event.key === 'ArrowDown' && event.altKey) open = true;
	}
	// What a click elsewhere closes.
	function outside(event: MouseEvent) {
		if (open && !box.contains(event.target as Node)) open = false;
	}
	function arrived(node: HTMLElement) {
		node.querySelector<HTMLElement>('[data-part="table-cell-trigger"][tabindex="0"]')?.focus();
	}
	// The last day that holds records within the limits, or else the last allowed one.
	const begin = $derived(read || within(likely) || (latest && latest < today ? latest : today));
	function within(day: string) {
		if (day && latest && day > latest) return latest;
		return day && earliest && day < earliest ? earliest : day;
	}
</script>

<svelte:document onmousedown={outside} />

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="relative" bind:this={box} onfocusout={leave} onkeydown={key}>
	<label for={id} class={quiet ? 'sr-only' : 'muted mb-0.5 block text-[13px]'}>{label}</label>
	<div class="flex">
		<input
			{id}
			bind:this={input}
			onkeypress={(event) => picking && event.preventDefault()}
			onkeyup={() => (picking = false)}
			onblur={() => (picking = false)}
			bind:value
			class="field rounded-r-none"
			autocomplete="off"
			spellcheck="false"
			placeholder={read || 'YYYY-MM-DD'}
			aria-invalid={problem}
			aria-describedby="{id}-problems"
		/>
		<button
			type="button"
			class="border-edge hover:bg-wash rounded-r-base border border-l-0 px-2.5 {problem ? 'border-bad' : ''}"
			aria-label="Pick {label.toLowerCase()} from a calendar"
			aria-expanded={open}
			onclick={() => (open = !open)}
		>
			<svg viewBox="0 0 16 16" class="size-4" aria-hidden="true" fill="none" stroke="currentColor" stroke-width="1.4">
				<rect x="1.7" y="2.7" width="12.6" height="11.6" rx="1" /><path d="M1.7 6.3h12.6M5 1v3M11 1v3" />
			</svg>
		</button>
	</div>
	{#if open}
		<div class="absolute top-full left-0 z-20 mt-1">
			{#await import('./Calendar.svelte')}
				<p class="panel muted p-3 shadow-lg">Loading …</p>
			{:then { default: Calendar }}
				<div use:arrived><Calendar {value} {earliest} {latest} {calendar} start={begin} onpick={pick} /></div>
			{:catch}
				<p role="alert" class="panel text-bad p-3 shadow-lg">The calendar could not be loaded. Type the date.</p>
			{/await}
		</div>
	{/if}
</div>
