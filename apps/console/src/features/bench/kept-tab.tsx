import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useContext, useState } from 'react';
import { useNavigate } from 'react-router';
import { Ago, ProblemNotice } from '@virga/parts';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { BenchContext } from './bench-state';
import { savedTokensQuery } from './queries';

/** Keeps a token by name, without its signature. */
export function KeepForm({ token }: { readonly token: string }) {
  const [name, setName] = useState('');
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: () => api.post('/bench/saved-tokens', { name, token }),
    onSuccess: async () => {
      setName('');
      await client.invalidateQueries({ queryKey: savedTokensQuery.queryKey });
    },
  });
  return (
    <form
      className="row"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <input
        aria-label="Name to keep it by"
        className="plain"
        style={{ width: 220 }}
        placeholder="keep it by a name, without signature"
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={name === '' || keep.isPending}>
        Keep
      </Button>
      {keep.isSuccess && <span className="quiet small">kept</span>}
      <ProblemNotice error={keep.error} />
    </form>
  );
}

/** Tokens kept by name. They have no signature, so they can be read and compared, and open nothing. */
export function KeptTab() {
  const { data, error } = useQuery(savedTokensQuery);
  const { set } = useContext(BenchContext);
  const navigate = useNavigate();
  const client = useQueryClient();
  const forget = useMutation({
    mutationFn: (id: string) => api.remove(`/bench/saved-tokens/${id}`),
    onSettled: () => client.invalidateQueries({ queryKey: savedTokensQuery.queryKey }),
  });
  return (
    <>
      <ProblemNotice error={error ?? forget.error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>Nothing is kept</h2>
          <p>
            A token that you read can be kept by a name, to compare another with it later. Its signature is taken off first, so that what is kept opens nothing.
          </p>
        </div>
      )}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          columns={[
            {
              cell: (item) => (
                <>
                  <b>{item.name}</b>
                  <div className="quiet small">
                    {item.text.length} characters without signature, kept <Ago at={item.savedAt} />
                  </div>
                </>
              ),
            },
            {
              className: 'number small',
              cell: (item) => (
                <>
                  <button
                    className="link"
                    onClick={() => {
                      set({ paste: item.text, token: item.text, proof: '' });
                      void navigate('/bench');
                    }}
                  >
                    read
                  </button>{' '}
                  <button
                    className="link"
                    onClick={() => {
                      set({ second: item.text });
                      void navigate('/bench/compare');
                    }}
                  >
                    compare with it
                  </button>{' '}
                  <button className="link rust" onClick={() => forget.mutate(item.id)}>
                    forget
                  </button>
                </>
              ),
            },
          ]}
        />
      )}
    </>
  );
}
