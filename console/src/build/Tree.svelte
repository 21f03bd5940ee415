<script lang="ts">
	// The tables of the source, those in use first: a column is added by pressing it,
	// or by dragging it to the records.
	import type { Source } from '../lib/api';
	import { proposals } from '../draft/joins';
	import type { Value } from '../draft/definition';

	let {
		source,
		inUse,
		shown,
		onadd,
		ondrag,
	}: {
		source: Source;
		/** The tables of the query, by the names they have in it. */
		inUse: { table: string; as: string }[];
		/** The columns that are shown, as they are written. */
		shown: string[];
		/** Adds a column, with the join that leads to it where its table is not in use. */
		onadd: (column: { table: string; as: string; name: string }, join?: Value) => void;
		/** Tells that a column is dragged, and what dropping it does; nothing when it is let go. */
		ondrag: (drop: (() => void) | undefined) => void;
	} = $props();

	const tables = $derived(source.tables ?? []);
	const used = $derived(
		inUse.flatMap((u) => {
			const t = tables.find((t) => t.name === u.table);
			return t ? [{ t, as: u.as, join: undefined as Value | undefined }] : [];
		}),
	);
	const near = $derived(
		proposals(
			source,
			inUse.map((u) => u.table),
		)
			.filter((p) => !p.many)
			.flatMap((p) => {
				const name = (p.item as { table: string }).table;
				const t = tables.find((t) => t.name === name);
				return t && !inUse.some((u) => u.as === name) ? [{ t, as: name, join: p.item as Value | undefined }] : [];
			}),
	);
	const rest = $derived(
		tables.filter((t) => !used.some((u) => u.t === t) && !near.some((n) => n.t === t)).map((t) => t.name),
	);
	let turned = $state<Record<string, boolean>>({});
	const isOpen = (as: string, first: boolean) => turned[as] ?? first;
	const isShown = (as: string, name: string, first: boolean) =>
		shown.some((s) => {
			const bare = s.replaceAll('"', '');
			return bare === `${as}.${name}` || (first && bare === name);
		});
</script>

<h2 class="pane-head">{source.name}</h2>
<ul class="text-sm" data-tree>
	{#each [...used, ...near] as { t, as, join }, i (as)}
		<li>
			<button
				type="button"
				class="rounded-base hover:bg-wash flex min-h-7 w-full items-center justify-between gap-2 px-1.5 text-left {join
					? ''
					: 'bg-act-wash font-semibold'}"
				aria-expanded={isOpen(as, i === 0)}
				onclick={() => (turned = { ...turned, [as]: !isOpen(as, i === 0) })}
				><span class="min-w-0 truncate">{i === 0 ? '' : '→ '}{as}</span><small class="text-ink-3 font-normal"
					>{t.columns?.length}</small
				></button
			>
			{#if isOpen(as, i === 0)}
				<ul>
					{#each t.columns ?? [] as c (c.name)}
						{@const there = isShown(as, c.name, i === 0)}
						<li>
							<button
								type="button"
								class="rounded-base hover:bg-wash flex min-h-6 w-full items-center justify-between gap-2 pr-1.5 pl-2 text-left"
								data-tree-column="{as}.{c.name}"
								aria-pressed={there}
								title={there ? 'It is shown' : 'Show it: click, or drag it into the sentence or the records'}
								draggable={!there}
								ondragstart={(e) => {
									e.dataTransfer?.setData('text/plain', c.name);
									ondrag(() => onadd({ table: i === 0 ? '' : as, as, name: c.name }, join));
								}}
								ondragend={() => ondrag(undefined)}
								onclick={() => !there && onadd({ table: i === 0 ? '' : as, as, name: c.name }, join)}
								><span class="min-w-0 truncate"
									><span class="text-act mr-1 inline-block w-3 text-xs" aria-hidden="true">{there ? '✓' : ''}</span
									>{c.name}</span
								><small class="text-ink-3 shrink-0">{c.type}</small></button
							>
						</li>
					{/each}
				</ul>
			{/if}
		</li>
	{/each}
</ul>
{#if rest.length}
	<p class="muted mt-2 text-xs">
		No foreign key leads to {rest.slice(0, 6).join(', ')}{rest.length > 6 ? ' …' : ''}; join them in the text.
	</p>
{/if}
