import { useLocation } from 'react-router';

/** What a link to Rig opens there, as the state of its location. */
export interface RigPlace {
  /** The device whose card is open, by id. */
  gear?: string;
  /** A layer of that card that is unfolded. */
  unfold?: 'settings';
  panel?: 'ports';
}

export function useRigPlace(): RigPlace {
  const { state } = useLocation() as { state: RigPlace | null };
  return state ?? {};
}
