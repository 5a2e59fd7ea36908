import { csvParseRows } from 'd3';
import { csvText } from './save-csv';

// Common practice: a cell that begins with one of these is run as a formula by spreadsheets.
test.each(['=1+1', '+49 30 1234', '-2', '@SUM(A1)', '\tx', '\rx'])('a cell %j is no formula where the file is opened', (cell) => {
  expect(csvParseRows(csvText([['name'], [cell]]))).toEqual([['name'], [`'${cell}`]]);
});

test('any other cell is as it was', () => {
  const rows = [
    ['of', 'a "quoted", one'],
    ['two\nlines', ''],
    ['a=1', '3-2'],
  ];
  expect(csvParseRows(csvText(rows))).toEqual(rows);
});
