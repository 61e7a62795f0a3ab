import { useSession } from '../../hub/session';
import { useTakes } from '../../store/use-takes';
import { heardOf } from '../../store/gear';
import { alignRows, type AlignRow } from './align-rows';

/** All followers of the rig in use that are heard, with what was measured and what would bring them together. */
export function useRows(): AlignRow[] {
  const gear = useSession(({ rig }) => rig?.gear);
  const takes = useTakes();
  // Those that asked something else say where somebody lands only by the way.
  return alignRows(
    heardOf(gear ?? []),
    takes.filter(({ plan }) => !plan),
  );
}
