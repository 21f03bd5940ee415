<script lang="ts">
	// A period of whole units: two lists of the units that hold records, with counts. The
	// first one is never after the last.
	import type { Unit } from '../lib/api';
	import { countText } from '../lib/text';

	let {
		id,
		name,
		units,
		from,
		through,
		onchoose,
	}: {
		id: string;
		/** What they are: month, fiscal quarter, season. */
		name: string;
		units: Unit[];
		/** The days that are chosen now. */
		from?: string;
		through?: string;
		onchoose: (text: string) => void;
	} = $props();

	const at = (found: number) => (found < 0 ? undefined : found);
	const first = $derived(at(units.findIndex((u) => u.from === from)));
	const last = $derived(at(units.findIndex((u) => u.through === through)));
	const told = (u: Unit) => `${u.name || u.period} · ${countText(u.count)}`;

	function choose(a: number, b: number) {
		onchoose(a === b ? units[a]!.period : `${units[a]!.from}/${units[b]!.through}`);
	}
	function chooseFirst(i: number) {
		choose(i, Math.max(i, last ?? i));
	}
	function chooseLast(i: number) {
		choose(Math.min(first ?? i, i), i);
	}
</script>

<div id="{id}-units" class="grid grid-cols-1 gap-2 sm:grid-cols-2">
	{#each [{ which: 'first', chosen: first, take: chooseFirst }, { which: 'last', chosen: last, take: chooseLast }] as list (list.which)}
		<label class="block">
			<span class="muted mb-0.5 block text-[13px]">{list.which === 'first' ? 'First' : 'Last'} {name}</span>
			<select
				class="field tabular-nums"
				name="{id}-{list.which}"
				aria-describedby="{id}-problems"
				value={list.chosen ?? ''}
				onchange={(e) => e.currentTarget.value && list.take(Number(e.currentTarget.value))}
			>
				<option value="">…</option>
				{#each units as unit, i (unit.from)}
					<option value={i}>{told(unit)}</option>
				{/each}
			</select>
		</label>
	{/each}
</div>
