<script lang="ts">
	// When a schedule is due, and what its answers mean at each time.
	import type { DueAt } from './calls';
	import { dueText, meantOf } from './words';

	let { times, ended = '' }: { times: DueAt[]; ended?: string } = $props();
</script>

<ol class="space-y-2 text-sm" data-times>
	{#each times as t (t.at)}
		<li>
			<b class="font-semibold tabular-nums">{dueText(t.at)}</b>{#if t.meant}<span class="muted">
					, as the clock leaves out {t.meant.slice(11, 16)}</span
				>{/if}
			{#each meantOf(t.answers) as m, i (i)}<span class="muted block text-[13px]">{m.label}: {m.text}</span>{/each}
			{#each t.problems ?? [] as p, i (i)}<span class="text-bad block text-[13px]">{p.message}</span>{/each}
		</li>
	{/each}
</ol>
{#if ended}<p class="muted text-[13px]">{ended}</p>{/if}
