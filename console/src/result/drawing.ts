// Draws a chart. This file, and the library it needs, is fetched when a chart
// is looked at, not before.
import { BarChart, LineChart } from 'echarts/charts';
import { AriaComponent, GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { CanvasRenderer } from 'echarts/renderers';
import type { Chart } from '../lib/api';
import { cellText, countText, type Cell } from '../lib/text';

echarts.use([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, AriaComponent, CanvasRenderer]);

// Told apart in both themes, and by patterns and marks as well.
const colours = ['#1f7a8c', '#c26d1a', '#6a5acd', '#4d8b31', '#b3416b', '#7a6a2f', '#3a6ea5', '#8a4b3c'];
const marks = ['circle', 'rect', 'triangle', 'diamond', 'pin', 'arrow', 'roundRect', 'circle'];

const label = (value: unknown) => (value === null || value === undefined ? 'blank' : cellText(value as Cell, {}));

/** The values of a chart along the bottom, and of each part of it. */
export function series(chart: Chart) {
	const points = chart.points ?? [];
	const xs = [...new Set(points.map((p) => label(p.x)))];
	const splits = [...new Set(points.map((p) => (chart.split ? label(p.split) : chart.y)))];
	const values = new Map(points.map((p) => [label(p.x) + '\n' + (chart.split ? label(p.split) : chart.y), p.y]));
	return {
		xs,
		parts: splits.map((name) => ({
			name,
			values: xs.map((x) => (values.get(x + '\n' + name) ?? null) as number | null),
		})),
	};
}

/** Draws into an element; returns how to take the drawing away. */
export function draw(element: HTMLElement, chart: Chart, dark: boolean): () => void {
	const ink = dark ? '#dfe8ea' : '#17262b';
	const faint = dark ? '#3b4b50' : '#d5dde0';
	const { xs, parts } = series(chart);
	const format = (v: unknown) => cellText(v as Cell, { type: 'decimal', format: chart.format });
	const drawing = echarts.init(element, undefined, { renderer: 'canvas' });
	drawing.setOption({
		animation: false,
		color: colours,
		textStyle: { fontFamily: 'system-ui, sans-serif', color: ink },
		aria: { enabled: true, decal: { show: chart.kind === 'bars' && parts.length > 1 } },
		grid: { left: 12, right: 16, top: parts.length > 1 ? 52 : 28, bottom: 28, containLabel: true },
		legend: { show: parts.length > 1, top: 0, textStyle: { color: ink } },
		tooltip: { trigger: 'axis', renderMode: 'richText', valueFormatter: format },
		xAxis: {
			type: 'category',
			data: xs,
			name: chart.x,
			nameLocation: 'middle',
			nameGap: 30,
			axisLabel: { color: ink },
			axisLine: { lineStyle: { color: ink } },
		},
		yAxis: {
			type: 'value',
			name: chart.y,
			nameTextStyle: { align: 'left', color: ink },
			axisLabel: { color: ink, formatter: (v: number) => countText(v) },
			splitLine: { lineStyle: { color: faint } },
		},
		series: parts.map((part, i) =>
			chart.kind === 'bars'
				? { type: 'bar', name: part.name, stack: 'all', data: part.values, barMaxWidth: 48 }
				: {
						type: 'line',
						name: part.name,
						data: part.values,
						symbol: marks[i % marks.length],
						symbolSize: 6,
						showSymbol: xs.length < 80,
					},
		),
	});
	const resized = new ResizeObserver(() => drawing.resize());
	resized.observe(element);
	return () => {
		resized.disconnect();
		drawing.dispose();
	};
}
