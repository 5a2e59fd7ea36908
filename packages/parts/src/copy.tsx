import { useSnackbar } from 'notistack';

/** An identifier that one click copies. */
export function Copyable({ text, shown = text }: { readonly text: string; readonly shown?: string }) {
  const { enqueueSnackbar } = useSnackbar();
  const copy = () =>
    void navigator.clipboard.writeText(text).then(
      () => enqueueSnackbar('Copied'),
      () => enqueueSnackbar('The browser did not allow copying'),
    );
  return (
    <button className="link mono" onClick={copy} title={`Copy ${text}`} type="button">
      {shown}
    </button>
  );
}
