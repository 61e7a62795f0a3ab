import '@xyflow/react/dist/base.css';
import { HUB_ID, RigError, type Cable, type RigGear, type RigPlan } from '@metronomo/core';
import {
  Controls,
  ReactFlow,
  useNodesInitialized,
  useNodesState,
  useReactFlow,
  type Connection,
  type EdgeChange,
  type NodeChange,
} from '@xyflow/react';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { tell } from '../../app/toast-store';
import { changeRig, useSession } from '../../hub/session';
import type { Rig } from '../../store/records';
import { connect, disconnect, planOf } from '../../store/rig-plan';
import { CableEdge, type CableEdgeData } from './cable-edge';
import { GearSheet, type GearNode } from './gear-sheet';
import { figureOf, inkOf, isDashed, type Figure } from './figure';
import { useLineCheck } from './use-line-check';

const NODE_TYPES = { gear: GearSheet };
/** Of cables in any place they had. */
const MOST_KNOWN = 2000;
const EDGE_TYPES = { cable: CableEdge };
const WITHOUT_BADGE = { hideAttribution: true };

/** The rig as a drawing: sheets and cables, time flowing from the leader outward. */
export function Drawing({
  rig,
  chosenId,
  onChoose,
}: {
  rig: Rig;
  chosenId: string | null;
  onChoose: (id: string | null) => void;
}) {
  const plan = useMemo(() => planOf(rig), [rig]);
  const figure = useMemo(() => figureOf(rig, plan), [rig, plan]);
  const { open } = useLineCheck();
  const [nodes, setNodes, onNodesChange] = useNodesState<GearNode>([]);
  useEffect(() => {
    const wrong = new Set(open.filter(({ severity }) => severity === 'wrong').map(({ gearId }) => gearId));
    setNodes((before) => {
      const old = new Map(before.map((node) => [node.id, node]));
      const now = plan.gear.map((gear) => {
        const icon = rig.gear.find(({ id }) => id === gear.id)?.icon ?? null;
        const data = { gear, icon, leads: rig.leaders[0] === gear.id, isWrong: wrong.has(gear.id) };
        const position = figure.places.get(gear.id) ?? { x: 0, y: 0 };
        return reused(old.get(gear.id), { data, position, selected: gear.id === chosenId }, gear);
      });
      return sameAll(before, now) ? before : now;
    });
  }, [plan, figure, rig, open, chosenId, setNodes]);
  const [cableId, setCableId] = useState<string | null>(null);
  const edges = useEdges(plan, figure, cableId);
  // Each function that is another one makes the library look at every sheet and every cable again.
  const change = useCallback(
    (changes: NodeChange<GearNode>[]) => {
      onNodesChange(changes);
      for (const one of changes) {
        // By mouse or by arrow keys, it stays where it was let go.
        if (one.type === 'position' && one.dragging === false && one.position) void moveTo(one.id, one.position);
        if (one.type === 'select' && one.selected) onChoose(one.id === HUB_ID ? null : one.id);
      }
    },
    [onNodesChange, onChoose],
  );
  const changeCables = useCallback((changes: EdgeChange<CableEdgeData>[]) => {
    for (const one of changes)
      if (one.type === 'select') setCableId((id) => (one.selected ? one.id : id === one.id ? null : id));
  }, []);
  const chooseNone = useCallback(() => onChoose(null), [onChoose]);
  return (
    <ReactFlow
      aria-label="Drawing of the rig"
      nodes={nodes}
      edges={edges}
      nodeTypes={NODE_TYPES}
      edgeTypes={EDGE_TYPES}
      onNodesChange={change}
      onEdgesChange={changeCables}
      onConnect={plug}
      onEdgesDelete={unplug}
      onPaneClick={chooseNone}
      proOptions={WITHOUT_BADGE}
      minZoom={0.2}
      maxZoom={1.15}
    >
      <Controls showInteractive={false} position="bottom-right" />
      <Refit bounds={figure.bounds} gear={`${rig.id} ${rig.gear.length}`} />
    </ReactFlow>
  );
}

/** The node as it was where nothing of it has changed: it is not drawn again then. */
function reused(
  old: GearNode | undefined,
  now: Pick<GearNode, 'data' | 'position' | 'selected'>,
  gear: RigGear,
): GearNode {
  const { data, position, selected } = now;
  const same =
    old?.data.gear === data.gear &&
    old.data.icon === data.icon &&
    old.data.leads === data.leads &&
    old.data.isWrong === data.isWrong &&
    old.position.x === position.x &&
    old.position.y === position.y &&
    old.selected === selected;
  if (same) return old;
  return { ...old, id: gear.id, type: 'gear', ariaLabel: gear.name, deletable: false, ...now };
}

/** Shows all of it again when gear comes or goes. */
function Refit({ bounds, gear }: { bounds: Figure['bounds']; gear: string }) {
  const { fitBounds } = useReactFlow();
  const ready = useNodesInitialized();
  const latest = useRef(bounds);
  useEffect(() => {
    latest.current = bounds;
  }, [bounds]);
  useEffect(() => {
    if (ready) void fitBounds(latest.current, { padding: 0.02 });
  }, [gear, ready, fitBounds]);
  return null;
}

/** Cables that run as they did before stay the same objects, and are not drawn again. */
function useEdges(plan: RigPlan, figure: Figure, chosenId: string | null): CableEdgeData[] {
  const [known] = useState(() => new Map<string, CableEdgeData>());
  const [latest] = useState(() => new Map<'edges', CableEdgeData[]>());
  return useMemo(() => {
    const now = plan.cables.map((cable) => {
      const edge = { ...edgeOf(plan, cable, figure), selected: cable.id === chosenId };
      const text = JSON.stringify(edge);
      const same = known.get(text) ?? edge;
      if (known.size > MOST_KNOWN) known.clear();
      known.set(text, same);
      return same;
    });
    const before = latest.get('edges') ?? [];
    if (sameAll(before, now)) return before;
    latest.set('edges', now);
    return now;
  }, [plan, figure, chosenId, known, latest]);
}

function edgeOf(plan: RigPlan, cable: Cable, { ways }: Figure): CableEdgeData {
  const { id, from, to } = cable;
  const way = ways.get(id);
  return {
    id,
    type: 'cable',
    source: from.gearId,
    sourceHandle: from.socketId,
    target: to.gearId,
    targetHandle: to.socketId,
    ...(way && { data: { ...way } }),
    style: { stroke: inkOf(plan, cable), ...(isDashed(plan, cable) && { strokeDasharray: '6 4' }) },
  };
}

function sameAll<Item>(before: readonly Item[], now: readonly Item[]): boolean {
  return before.length === now.length && now.every((one, i) => one === before[i]);
}

function unplug(gone: readonly { id: string }[]): void {
  void changeRig((before) => gone.reduce<Rig>((done, { id }) => disconnect(done, id), before));
}

async function plug({ source, sourceHandle, target, targetHandle }: Connection): Promise<void> {
  try {
    await changeRig((rig) =>
      connect(rig, { gearId: source, socketId: sourceHandle ?? '' }, { gearId: target, socketId: targetHandle ?? '' }),
    );
  } catch (error) {
    if (!(error instanceof RigError)) throw error;
    tell(error.message);
  }
}

async function moveTo(id: string, place: { x: number; y: number }): Promise<void> {
  const before = useSession.getState().rig?.gear.find((one) => one.id === id);
  // The hub stands where the layout puts it, and a click is no move.
  if (!before || (before.place?.x === place.x && before.place.y === place.y)) return;
  await changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, place } : one)) }));
}
