import { yupResolver } from '@hookform/resolvers/yup';
import { useForm } from 'react-hook-form';
import { number, object, string, type InferType } from 'yup';
import type { Place } from '../../network/api';
import { Button } from '../../parts/button';

const schema = object({
  address: string()
    .trim()
    .required('Give its address, like 192.0.2.7.')
    .max(253)
    .matches(/^[\w.:-]+$/, 'An address is a number like 192.0.2.7, or a name.'),
  port: number()
    .typeError('A port is a number.')
    .required()
    .integer()
    .min(1, 'A port is from 1 to 65534.')
    .max(65_534, 'A port is from 1 to 65534.'),
});

type Address = InferType<typeof schema>;

/** For a peer that is not found by itself. */
export function AddressForm({ onInvite }: { onInvite: (place: Place) => void }) {
  const { register, handleSubmit, formState } = useForm<Address>({
    resolver: yupResolver(schema),
    defaultValues: { address: '', port: 5004 },
  });
  const problem = formState.errors.address?.message ?? formState.errors.port?.message;
  const field = 'border border-rule px-2 py-1 text-sm hover:border-ink aria-invalid:border-wrong';
  return (
    <form
      className="mt-3 text-sm"
      noValidate
      onSubmit={(event) =>
        void handleSubmit(({ address, port }) => onInvite({ name: address.slice(0, 60), address, port }))(event)
      }
    >
      <p className="mb-1 text-xs text-soft">By its address</p>
      <div className="flex items-end gap-2">
        <input
          {...register('address')}
          aria-label="Address of the peer"
          aria-invalid={formState.errors.address !== undefined}
          autoComplete="off"
          placeholder="192.0.2.7"
          className={`min-w-0 flex-1 ${field}`}
        />
        <input
          {...register('port')}
          aria-label="Port of the peer"
          aria-invalid={formState.errors.port !== undefined}
          inputMode="numeric"
          className={`w-18 ${field}`}
        />
        <Button type="submit">Invite</Button>
      </div>
      {problem && (
        <p role="alert" className="mt-1 text-xs text-wrong">
          {problem}
        </p>
      )}
    </form>
  );
}
