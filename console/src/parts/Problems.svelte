<script lang="ts">
	// The problems of one field, each with its ways out.
	import type { Fix, Problem } from '../lib/api';

	let { id, problems, onfix }: { id: string; problems: Problem[]; onfix: (fix: Fix, problem: Problem) => void } =
		$props();

	// Two parts of what was typed can be wrong in the same words.
	const told = $derived(
		problems.filter((p, i) => i === problems.findIndex((q) => q.message === p.message && q.field === p.field)),
	);
</script>

<div {id} class="text-bad space-y-1 text-[13px] empty:hidden" aria-live="polite">
	{#each told as problem, i (i)}
		<p data-problem={problem.code} class="flex flex-wrap items-center gap-x-2 gap-y-1 pt-1">
			<span>{problem.message} {problem.fixes?.length ? '' : (problem.hint ?? '')}</span>
			{#each problem.fixes ?? [] as fix, at (at)}
				<button
					type="button"
					class="border-bad rounded-base hover:bg-bad-wash min-h-6.5 border px-2"
					onclick={() => onfix(fix, problem)}>{fix.label}</button
				>
			{/each}
		</p>
	{/each}
</div>
