import { lazy, Suspense, useState, type DragEvent } from 'react';
import type { ContractSourceInput } from '@virga/protocol';

const CodeEditor = lazy(() => import('../../parts/code-editor'));
/** Longer texts are taken as they are; the editor would only slow the browser down. */
const EDITABLE = 400_000;

/** Takes a description as a file, pasted text or an address. */
export function ContractSource({ value, onChange }: { readonly value: ContractSourceInput; readonly onChange: (value: ContractSourceInput) => void }) {
  const [way, setWay] = useState<'text' | 'url'>('text');
  const [fileName, setFileName] = useState<string | null>(null);
  const take = async (file: File | undefined) => {
    if (!file) return;
    setFileName(`${file.name}, ${Math.round(file.size / 1024)} KB`);
    onChange({ text: await file.text() });
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    void take(event.dataTransfer.files[0]);
  };
  const text = value.text ?? '';
  return (
    <div className="stack" onDragOver={(event) => event.preventDefault()} onDrop={drop}>
      <div className="row wrap" role="radiogroup" aria-label="Where the description comes from">
        <label className="check">
          <input type="radio" name="way" checked={way === 'text'} onChange={() => (setWay('text'), onChange({ text: '' }))} /> a file or pasted text
        </label>
        <label className="check">
          <input type="radio" name="way" checked={way === 'url'} onChange={() => (setWay('url'), onChange({ url: '' }))} /> an address
        </label>
      </div>
      {way === 'url' ? (
        <>
          <div className="field">
            <label htmlFor="contract-url">Address of the description</label>
            <input
              id="contract-url"
              type="url"
              placeholder="https://…/openapi.yaml"
              value={value.url ?? ''}
              onChange={(event) => onChange({ ...value, url: event.target.value })}
            />
          </div>
          <label className="check small">
            <input type="checkbox" checked={value.allowLoopback ?? false} onChange={(event) => onChange({ ...value, allowLoopback: event.target.checked })} />{' '}
            this machine may be asked, over plain http
          </label>
        </>
      ) : (
        <>
          <div className="field">
            <label htmlFor="contract-file">OpenAPI 3.0 or 3.1, JSON or YAML; drop a file here or choose one</label>
            <input
              id="contract-file"
              type="file"
              accept=".json,.yaml,.yml,application/json,text/yaml"
              onChange={(event) => void take(event.target.files?.[0])}
            />
          </div>
          {text.length > EDITABLE ? (
            <p>
              {fileName ?? 'The text'} is taken as it is; it is too long to edit here.{' '}
              <button type="button" className="link" onClick={() => (setFileName(null), onChange({ text: '' }))}>
                Take another
              </button>
            </p>
          ) : (
            <Suspense
              fallback={
                <pre className="sheet" style={{ height: 240 }}>
                  Opening the editor…
                </pre>
              }
            >
              <CodeEditor
                label="Description"
                height="240px"
                value={text}
                format={/^\s*[{[]/.test(text) ? 'json' : 'yaml'}
                onChange={(next) => onChange({ text: next })}
              />
            </Suspense>
          )}
        </>
      )}
    </div>
  );
}
