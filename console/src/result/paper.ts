// How records fall on pages of paper. Everything is in millimetres.
import type { Column, Header } from '../lib/api';
import type { Row } from './run.svelte';

export const margin = 12;
export const lineHeight = 5;
const headHeight = 26; // title and read-back, on the first page
const footHeight = 8;
const columnsHeight = 7;

/** The most records that are laid out on pages; a file has all of them. */
export const mostPrinted = 5000;

/** Columns a little too wide for the paper get smaller letters, down to this part of their size. */
const smallest = 0.8;
/** How wide a character of the paper's letters is, about. */
const character = 1.7;

/** A column of a sheet: its place in the report, and its part of the width. */
interface Placed {
	at: number;
	column: Column;
	share: number;
}

/**
 * Shares columns out by the longest text of each, in characters. What is wider
 * than the paper goes on in another strip, which begins with the first column
 * again. The scale is that of the letters.
 */
export function stripsOf(
	columns: Column[],
	longest: (column: Column, at: number) => number,
	paper: Header['page'],
): { strips: Placed[][]; scale: number } {
	const room = paper.width - 2 * margin;
	const all = columns.map((column, at) => ({
		at,
		column,
		share: Math.min((longest(column, at) + 2) * character, room * 0.45),
	}));
	const whole = width(all);
	const parted = whole * smallest > room;
	const strips: Placed[][] = [];
	let on: Placed[] = [];
	for (const one of all) {
		if (!on.length || (parted && width(on) + one.share > room)) strips.push((on = all.slice(0, on.length && 1)));
		on.push(one);
	}
	return {
		strips: strips.map((on) => on.map((one) => ({ ...one, share: one.share / width(on) }))),
		scale: parted ? 1 : Math.min(1, room / whole),
	};
}

function width(placed: Placed[]): number {
	return placed.reduce((sum, one) => sum + one.share, 0);
}

/** Parts rows into pages; a group's last line never begins a page by itself. */
export function pagesOf(rows: Row[], paper: Header['page']): Row[][] {
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
