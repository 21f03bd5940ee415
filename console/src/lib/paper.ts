// How records fall on pages of paper. Everything is in millimetres.
import type { Header } from './api';
import type { Row } from './run.svelte';

/** Sizes of paper, upright; source: ISO 216 and ANSI/ASME Y14.1. */
const sizes: Record<string, [number, number]> = {
	A3: [297, 420],
	A4: [210, 297],
	A5: [148, 210],
	letter: [215.9, 279.4],
	legal: [215.9, 355.6],
};

export const margin = 12;
export const lineHeight = 5;
const headHeight = 26; // title and read-back, on the first page
const footHeight = 8;
const columnsHeight = 7;

export type Paper = { size: string; landscape: boolean; width: number; height: number };

export function paperOf(page: Header['page']): Paper {
	const size = page?.size || 'A4';
	const [width, height] = sizes[size] ?? sizes.A4!;
	const landscape = page?.landscape ?? false;
	return landscape ? { size, landscape, width: height, height: width } : { size, landscape, width, height };
}

/** The most records that are laid out on pages; a file has all of them. */
export const mostPrinted = 5000;

/** Parts rows into pages; a group's last line never begins a page by itself. */
export function pagesOf(rows: Row[], paper: Paper): Row[][] {
	const room = paper.height - 2 * margin - footHeight - columnsHeight;
	const first = Math.floor((room - headHeight) / lineHeight);
	const other = Math.floor(room / lineHeight);
	const pages: Row[][] = [];
	for (let at = 0; at < rows.length;) {
		let end = Math.min(rows.length, at + (pages.length ? other : first));
		if (end < rows.length && !Array.isArray(rows[end]) && end - at > 2) end--;
		pages.push(rows.slice(at, end));
		at = end;
	}
	return pages;
}
