import { useRef, useState, type ChangeEvent } from 'react';

/** Takes the text of a CSV file that somebody chooses. The same file can be chosen again once it was mended. */
export function CsvFile({ label, onText }: { readonly label: string; readonly onText: (text: string) => void }) {
  const file = useRef<HTMLInputElement>(null);
  const [unread, setUnread] = useState<string | null>(null);
  const pick = async ({ target }: ChangeEvent<HTMLInputElement>) => {
    const [chosen] = target.files ?? [];
    if (!chosen) return;
    try {
      onText(await chosen.text());
      setUnread(null);
    } catch {
      setUnread(chosen.name);
    } finally {
      target.value = '';
    }
  };
  return (
    <>
      <button type="button" className="link" onClick={() => file.current?.click()}>
        take a CSV file
      </button>
      <input
        ref={file}
        type="file"
        accept=".csv,text/csv"
        aria-label={label}
        tabIndex={-1}
        style={{ display: 'none' }}
        onChange={(event) => void pick(event)}
      />
      {unread !== null && (
        <span className="rust" role="alert">
          {unread} could not be read; what stands here is as it was.
        </span>
      )}
    </>
  );
}
