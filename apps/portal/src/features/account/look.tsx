import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { useEffect, useState } from 'react';
import { api } from '../../client/api';
import { secretOfLink } from '../../client/secret-of-link';
import { useGoOn } from './signed-in';

/** Opens the portal as an operator asked to see it. */
export function Look() {
  const [code] = useState(secretOfLink);
  const goOn = useGoOn();
  const { isSuccess, error } = useQuery({
    queryKey: ['look', code],
    queryFn: async () => {
      await api.post('/look', { code });
      return true;
    },
    enabled: code !== '',
    retry: false,
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
  });
  useEffect(() => {
    if (isSuccess) void goOn('/');
    // Once: going on reads everything anew.
    // oxlint-disable-next-line react/exhaustive-deps
  }, [isSuccess]);
  if (error) return <ProblemNotice error={error} />;
  return <p className="quiet">{code === '' ? 'The link is not whole. Look anew from the console.' : 'Opening…'}</p>;
}
