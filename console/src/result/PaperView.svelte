<script lang="ts">
	// The report as it prints: the pages that the service lays out, the same as its PDF.
	import { Refusal, takePages, type Header, type Inputs, type Target } from '../lib/api';
	import { countText } from '../lib/text';
	import { pictureOf } from './picture';
	import { linesOf } from './run.svelte';

	let { header, asked }: { header: Header; asked: { target: Target; inputs: Inputs; sort: string[] } } = $props();

	const paper = $derived(header.page);
	let pages = $state.raw<SVGSVGElement[]>([]);
	let stage = $state<'running' | 'ended'>('running');
	let failure = $state('');

	$effect(() => {
		const { target, inputs, sort } = asked;
		const abort = new AbortController();
		pages = [];
		failure = '';
		stage = 'running';
		(async () => {
			try {
				const response = await takePages(target, inputs, sort, abort.signal);
				for await (const lines of linesOf(response.body!))
					pages = [...pages, ...lines.filter(Boolean).map((line) => pictureOf(line))];
			} catch (error) {
				if (abort.signal.aborted) return;
				failure =
					error instanceof Refusal
						? error.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ') || error.message
						: 'The pages broke off: ' + error;
			}
			stage = 'ended';
		})();
		return () => abort.abort();
	});

	// The printer takes the size of the paper from a style sheet.
	$effect(() => {
		const sheet = new CSSStyleSheet();
		sheet.replaceSync(`@page { size: ${paper.width}mm ${paper.height}mm; margin: 0 }`);
		document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
		return () => (document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== sheet));
	});
	/** Puts a picture into its page. */
	const holds = (picture: SVGSVGElement) => (node: HTMLElement) => {
		node.replaceChildren(picture);
	};
</script>

<div class="flex h-full min-h-0 flex-col gap-2">
	<p class="flex flex-wrap items-center gap-3 text-sm" data-pages={stage}>
		<button type="button" class="button" disabled={stage === 'running' || !pages.length} onclick={() => window.print()}
			>Print</button
		>
		<span role="status"
			>{#if stage === 'running'}Laying out …{:else if pages.length}{countText(pages.length)}
				{pages.length === 1 ? 'page' : 'pages'}, {paper.width} × {paper.height} mm, as in the PDF.{/if}</span
		>
	</p>
	{#if failure}<p role="alert" class="wash-bad">{failure}</p>{/if}
	<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
	<div class="bg-wash min-h-0 grow overflow-auto p-4" tabindex="0" role="region" aria-label="Pages of {header.title}">
		<div data-paper>
			{#each pages as picture, number (number)}
				<article
					class="paper"
					style:width="{paper.width}mm"
					aria-label="Page {number + 1} of {pages.length}"
					{@attach holds(picture)}
				></article>
			{/each}
		</div>
	</div>
</div>

<style>
	.paper {
		box-sizing: border-box;
		max-width: 100%;
		margin: 0 auto 1rem;
		background: white;
		color: black;
	}
	.paper :global(svg) {
		display: block;
		width: 100%;
		height: auto;
	}
	@media print {
		.paper {
			max-width: none;
			margin: 0;
			break-after: page;
		}
	}
</style>
