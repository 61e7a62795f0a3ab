import { Link } from 'react-router';

/** The way on from a view that has nothing to show without gear. */
export function AddGearLink() {
  return (
    <Link to="/rig" className="border border-ink bg-ink px-3 py-2 text-sm text-sheet">
      Add gear in Rig
    </Link>
  );
}
