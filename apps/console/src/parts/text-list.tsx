import { useState } from 'react';

/** Values separated by blanks, commas or line breaks, typed into one field; read when the field is left. */
export function TextList({
  id,
  value,
  onChange,
  rows,
  placeholder,
  separator = /[\s,]+/,
}: {
  readonly id: string;
  readonly value: readonly string[];
  readonly onChange: (value: string[]) => void;
  readonly rows?: number;
  readonly placeholder?: string;
  readonly separator?: RegExp;
}) {
  const joined = value.join(rows ? '\n' : ', ');
  const [typed, setTyped] = useState<string | null>(null);
  const leave = () => {
    if (typed !== null)
      onChange(
        typed
          .split(separator)
          .map((item) => item.trim())
          .filter(Boolean),
      );
    setTyped(null);
  };
  const shared = { id, className: 'mono', value: typed ?? joined, placeholder, onBlur: leave };
  return rows ? (
    <textarea {...shared} rows={rows} onChange={(event) => setTyped(event.target.value)} />
  ) : (
    <input {...shared} onChange={(event) => setTyped(event.target.value)} />
  );
}
