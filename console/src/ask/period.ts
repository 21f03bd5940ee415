/** What was typed for a period: a start and an end, or one expression. */
export type PeriodText = { start: string; end: string; words: string };

export const emptyPeriod = (): PeriodText => ({ start: '', end: '', words: '' });
