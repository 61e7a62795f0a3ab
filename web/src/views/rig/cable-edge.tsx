import { BaseEdge, type Edge, type EdgeProps } from '@xyflow/react';
import { cablePath, type WayBack } from './cable-path';

export type CableEdgeData = Edge<WayBack & Record<string, unknown>, 'cable'>;

const AHEAD: WayBack = { gapY: null, bottom: 0, lane: 0 };

/** A cable in the diagram. */
export function CableEdge({ id, sourceX, sourceY, targetX, targetY, data, style, selected }: EdgeProps<CableEdgeData>) {
  const path = cablePath({ x: sourceX, y: sourceY }, { x: targetX, y: targetY }, data ?? AHEAD);
  return <BaseEdge id={id} path={path} style={{ ...style, strokeWidth: selected ? 3 : 1.5 }} interactionWidth={14} />;
}
