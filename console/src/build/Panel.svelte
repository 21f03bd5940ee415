<script lang="ts">
	// A small panel beside the phrase that opened it. Escape gives back what was there;
	// Enter in a field, or pressing elsewhere, keeps what was chosen.
	import { onMount, type Snippet } from 'svelte';

	let {
		label,
		onclose,
		onback,
		children,
	}: { label: string; onclose: () => void; onback: () => void; children: Snippet } = $props();

	let box: HTMLDivElement;
	/** Whether a key is down. */
	let keyed = false;
	let [left, top, height] = $state([0, 0, 0]);
	/** Beneath the phrase, or above it where there is more room; never cut off. */
	function place() {
		const phrase = box.parentElement!.getBoundingClientRect();
		const [width, wanted] = [box.offsetWidth, box.scrollHeight + 2];
		const beneath = innerHeight - phrase.bottom - 12;
		const above = phrase.top - 12;
		const under = beneath >= Math.min(wanted, 260) || beneath >= above;
		height = Math.max(under ? beneath : above, 120);
		left = Math.max(8, Math.min(phrase.left, document.documentElement.clientWidth - width - 8));
		top = under ? phrase.bottom + 4 : phrase.top - 4 - Math.min(wanted, height);
	}
	onMount(() => {
		const phrase = box.parentElement!.querySelector<HTMLElement>(':scope > button');
		place();
		const sized = new ResizeObserver(place);
		sized.observe(box);
		(
			box.querySelector<HTMLElement>('[data-first]') ?? box.querySelector<HTMLElement>('input, button, select')
		)?.focus();
		return () => {
			sized.disconnect();
			// The key that closed it is not to press what has the focus then.
			const restore = () => {
				if (phrase?.isConnected && document.activeElement === document.body) phrase.focus();
			};
			if (keyed) document.addEventListener('keyup', restore, { once: true });
			else setTimeout(restore);
		};
	});
	/** What was typed last is taken before the panel goes. */
	function keep() {
		if (box.contains(document.activeElement)) (document.activeElement as HTMLElement).blur();
		onclose();
	}
	function key(event: KeyboardEvent) {
		if (event.key === 'Escape') {
			event.preventDefault();
			event.stopPropagation();
			onback();
		} else if (event.key === 'Enter' && (event.target as HTMLElement).matches('input:not([data-adds])')) {
			event.preventDefault();
			keep();
		} else if (event.key === 'Tab') {
			const stops = [
				...box.querySelectorAll<HTMLElement>('input, button:not(:disabled), select, textarea, a[href]'),
			].filter((e) => e.checkVisibility());
			const at = stops.indexOf(document.activeElement as HTMLElement);
			if (event.shiftKey ? at > 0 : at >= 0 && at < stops.length - 1) return;
			event.preventDefault();
			stops.at(event.shiftKey ? -1 : 0)?.focus();
		}
	}
</script>

<svelte:window onresize={place} onscrollcapture={place} />
<svelte:document onpointerdown={(e) => !box.contains(e.target as Node) && keep()} />
<div
	bind:this={box}
	role="dialog"
	tabindex="-1"
	aria-label={label}
	data-panel
	onkeydowncapture={() => (keyed = true)}
	onkeyupcapture={() => (keyed = false)}
	onkeydown={key}
	style:left="{left}px"
	style:top="{top}px"
	style:max-height="{height}px"
	class="bg-sheet border-line-strong rounded-container fixed z-20 w-80 max-w-[calc(100vw-1rem)] space-y-2 overflow-y-auto border p-3 text-left text-sm leading-normal font-normal whitespace-normal shadow-xl"
>
	{@render children()}
</div>
