// How text files can be written, as it is chosen where they are read and where they are made.
export type Choices = [value: string, label: string][];

export const delimiters: Choices = [
	[',', 'Commas'],
	[';', 'Semicolons'],
	['tab', 'Tabs'],
	['|', 'Bars'],
];
export const decimalMarks: Choices = [
	['.', 'Point, 1234.5'],
	[',', 'Comma, 1234,5'],
];
export const textEncodings: Choices = [
	['utf-8', 'UTF-8'],
	['utf-16', 'UTF-16'],
	['windows-1252', 'Windows-1252'],
	['latin-1', 'Latin-1'],
];
