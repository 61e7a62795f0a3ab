import { yupResolver } from '@hookform/resolvers/yup';
import { useForm } from 'react-hook-form';
import { number, object, string, type InferType } from 'yup';
import type { Place } from '../../network/api';
import { Button } from '../../parts/button';

const schema = object({
  address: string()
    .trim()
    .required('Enter an address, such as 192.0.2.7.')
    .max(253, 'Address too long. Use 253 characters or fewer.')
    .matches(/^[\w.:-]+$/, 'Address not recognized. Enter an IP address such as 192.0.2.7, or a host name.'),
  port: number()
    .typeError('The port must be a number.')
    .required()
    .integer('The port must be a whole number.')
    .min(1, 'The port must be between 1 and 65534.')
    .max(65_534, 'The port must be between 1 and 65534.'),
});

type Address = InferType<typeof schema>;

/** Invites a peer that discovery doesn't find. */
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
      <p className="mb-1 text-xs text-soft">Invite by address</p>
      <div className="flex items-end gap-2">
        <input
          {...register('address')}
          aria-label="Peer address"
          aria-invalid={formState.errors.address !== undefined}
          autoComplete="off"
          placeholder="192.0.2.7"
          className={`min-w-0 flex-1 ${field}`}
        />
        <input
          {...register('port')}
          aria-label="Peer UDP port"
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
