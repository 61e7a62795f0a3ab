import { useState } from 'react';
import { changeRig } from '../../studio/rig';
import { setBuffer, type NetworkSession } from '../../network/api';
import { withPeer } from '../../network/peers';
import type { RememberedPeer } from '../../store/records';

const MAX_MS = 500;

/** Playout delay of a peer's messages after their send time. */
export function BufferField({ peer, session }: { peer: RememberedPeer; session: NetworkSession | undefined }) {
  const [draft, setDraft] = useState<string | null>(null);
  const take = () => {
    const ms = Number(draft?.replace(/ ?ms$/, ''));
    setDraft(null);
    if (draft === null || draft.trim() === '' || !(ms >= 0 && ms <= MAX_MS) || ms === peer.bufferMs) return;
    void changeRig((before) => withPeer(before, { ...peer, bufferMs: ms }));
    if (session?.state === 'open') setBuffer(session.id, ms).catch(() => undefined);
  };
  return (
    <label
      className="flex items-center gap-2 text-xs text-soft"
      title="Incoming MIDI plays this long after it was sent."
    >
      Jitter buffer
      <input
        value={draft ?? `${peer.bufferMs} ms`}
        aria-label={`Jitter buffer for ${peer.name}`}
        inputMode="decimal"
        className="w-16 border border-rule px-1.5 py-0.5 text-right text-ink hover:border-ink"
        onFocus={({ target }) => {
          setDraft(String(peer.bufferMs));
          requestAnimationFrame(() => target.select());
        }}
        onChange={({ target }) => setDraft(target.value.slice(0, 8))}
        onBlur={take}
        onKeyDown={({ key, currentTarget }) => key === 'Enter' && currentTarget.blur()}
      />
    </label>
  );
}
