<script lang="ts" module>
	/** A figure with its label above and what accompanies it beneath. */
	export type Fact = {
		label: string;
		value: string;
		note?: string;
		/** The figure that counts most. */
		main?: boolean;
		/** Whether it lies outside what was asked for. */
		outside?: boolean;
		/** What the value is for a program: a date as it is stored. */
		datetime?: string;
		/** What it is called in the page, and its value as it is stored. */
		mark?: string;
		raw?: string;
	};
</script>

<script lang="ts">
	let { facts }: { facts: Fact[] } = $props();

	const marked = (fact: Fact) => (fact.mark ? { ['data-' + fact.mark]: fact.raw ?? '' } : {});
</script>

<!-- As high without notes as with them: what is beneath stays when a run ends. -->
<dl data-facts class="panel grid min-h-18.5 grid-cols-2 overflow-hidden sm:flex sm:flex-wrap">
	{#each facts as fact, i (i)}
		<div
			class="border-line relative px-4 py-2 max-sm:border-b sm:border-r sm:last:border-r-0 {fact.outside
				? 'outside'
				: ''} {fact.main ? 'max-sm:col-span-2' : ''}"
		>
			<dt class="text-ink-3 text-xs">{fact.label}</dt>
			<dd class="tabular-nums">
				{#if fact.datetime}<time class="font-semibold" datetime={fact.datetime} {...marked(fact)}>{fact.value}</time>
				{:else}<b class={fact.main ? 'text-[26px] leading-tight font-semibold' : 'font-semibold'} {...marked(fact)}
						>{fact.value}</b
					>{/if}
				{#if fact.note}<span class="text-ink-3 block text-xs">{fact.note}</span>{/if}
			</dd>
		</div>
	{/each}
</dl>

<style>
	.outside::before {
		content: '';
		position: absolute;
		inset: 10px auto 10px 0;
		width: 3px;
		background: repeating-linear-gradient(var(--line-strong) 0 4px, transparent 4px 7px);
	}
</style>
