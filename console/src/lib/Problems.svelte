<script lang="ts">
	// The problems of one field, each with its ways out.
	import type { Fix, Problem } from './api';

	let { id, problems, onfix }: { id: string; problems: Problem[]; onfix: (fix: Fix, problem: Problem) => void } =
		$props();
</script>

<div {id} class="text-error-700-300 space-y-1 text-sm" aria-live="polite">
	{#each problems as problem (problem.code + problem.field + problem.message)}
		<p data-problem={problem.code}>
			<span aria-hidden="true">▲</span>
			{problem.message}
			<span class="muted">{problem.fixes?.length ? '' : (problem.hint ?? '')}</span>
			{#each problem.fixes ?? [] as fix (fix.text)}
				<button
					type="button"
					class="border-error-600-400 rounded-base ml-1 border px-1.5 py-0.5"
					onclick={() => onfix(fix, problem)}>{fix.label}</button
				>
			{/each}
		</p>
	{/each}
</div>
