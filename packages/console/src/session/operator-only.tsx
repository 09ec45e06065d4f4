import { Button } from '@mui/material';
import { ServiceProblem } from '@gather-lane/client';
import type { ReactNode } from 'react';
import { Empty } from '../common/states';
import { useSession } from './session';

/** Whether something was refused because it is for the operator, who this browser is not. */
export const isForOperator = (error: unknown): boolean => error instanceof ServiceProblem && error.status === 401;

/** Stands in place of what only the operator sees, with a way to give the key. */
export function OperatorOnly({ title, children }: { title: string; children?: ReactNode }) {
  const { askOperatorKey } = useSession();
  return (
    <Empty title={title}>
      {children}{' '}
      <Button onClick={askOperatorKey} variant="contained" sx={children ? { ml: 1 } : { mt: 1 }}>
        Give the key
      </Button>
    </Empty>
  );
}
