interface Grid {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
  readonly onColumns: (columns: readonly string[]) => void;
  readonly onRows: (rows: readonly (readonly string[])[]) => void;
}

const withAt = <T,>(list: readonly T[], at: number, value: T): T[] => list.map((item, index) => (index === at ? value : item));
const without = <T,>(list: readonly T[], at: number): T[] => list.filter((_, index) => index !== at);

/** The rows of a table as fields. */
export function RowGrid({ columns, rows, onColumns, onRows }: Grid) {
  return (
    <div style={{ overflowX: 'auto' }}>
      <table className="list" aria-label="Rows">
        <thead>
          <tr>
            {columns.map((column, index) => (
              <th key={index} style={{ verticalAlign: 'top' }}>
                <div className="field">
                  <input
                    className="mono"
                    aria-label={`Column ${index + 1}`}
                    placeholder="column"
                    value={column}
                    onChange={(event) => onColumns(withAt(columns, index, event.target.value))}
                  />
                </div>
                {columns.length > 1 && (
                  <button
                    type="button"
                    className="link small"
                    aria-label={`Drop column ${column || index + 1}`}
                    onClick={() => {
                      onColumns(without(columns, index));
                      onRows(rows.map((row) => without(row, index)));
                    }}
                  >
                    drop
                  </button>
                )}
              </th>
            ))}
            <th>
              <button
                type="button"
                className="link small"
                onClick={() => {
                  onColumns([...columns, '']);
                  onRows(rows.map((row) => [...row, '']));
                }}
              >
                add a column
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, index) => (
            <tr key={index}>
              {columns.map((column, at) => (
                <td key={at}>
                  <div className="field">
                    <input
                      className="mono"
                      aria-label={`${column || `column ${at + 1}`} of row ${index + 1}`}
                      value={row[at] ?? ''}
                      onChange={(event) => onRows(withAt(rows, index, withAt(row, at, event.target.value)))}
                    />
                  </div>
                </td>
              ))}
              <td>
                <button type="button" className="link small" aria-label={`Drop row ${index + 1}`} onClick={() => onRows(without(rows, index))}>
                  drop
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <button type="button" className="link" onClick={() => onRows([...rows, columns.map(() => '')])}>
        add a row
      </button>
    </div>
  );
}
