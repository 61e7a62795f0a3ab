import '@xyflow/react/dist/base.css';
import { gearOf, HUB_ID, socketOf, type Cable, type RigGear, type RigPlan, type SocketRef } from '@metronomo/core';
import {
  Controls,
  Panel,
  ReactFlow,
  useNodesInitialized,
  useNodesState,
  useReactFlow,
  type Connection,
  type EdgeChange,
  type NodeChange,
} from '@xyflow/react';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import type { Rig } from '../../store/records';
import { disconnect, planOf } from '../../store/rig-plan';
import { CableEdge, type CableEdgeData } from './cable-edge';
import { GearSheet, type GearNode } from './gear-sheet';
import { carriedBy, figureOf, inkOf, isDashed, type Figure } from './figure';
import { cancelCable, plugIn, usePlugging } from './plugging';
import { useLineCheck } from './use-line-check';

const NODE_TYPES = { gear: GearSheet };
/** Cap on cached edges. */
const MAX_KNOWN = 2000;
const EDGE_TYPES = { cable: CableEdge };
/** In place of the library's own texts, which name nodes and edges. */
const ARIA_LABELS = {
  'node.a11yDescription.default':
    'Press Enter to select a device, then the arrow keys to move it. Press Tab for its sockets.',
  'node.a11yDescription.keyboardDisabled': 'Press Enter to select a device. Press Tab for its sockets.',
  'node.a11yDescription.ariaLiveMessage': ({ direction }: { direction: string }) => `Moved ${direction}.`,
  'edge.a11yDescription.default': 'Press Enter to select a cable, then Delete or Backspace to unplug it.',
  'controls.ariaLabel': 'Diagram view',
  'controls.zoomIn.ariaLabel': 'Zoom in',
  'controls.zoomOut.ariaLabel': 'Zoom out',
  'controls.fitView.ariaLabel': 'Show all',
  'handle.ariaLabel': 'Socket',
};
const DELETE_KEYS = ['Delete', 'Backspace'];
const CARRIES = { clock: 'clock', timecode: 'timecode', nothing: 'notes' } as const;
const WITHOUT_BADGE = { hideAttribution: true };

/** The rig as a diagram of sheets and cables, with sync flowing away from the leader. */
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
  // Stable callbacks: the library re-checks every node and edge when one changes.
  const change = useCallback(
    (changes: NodeChange<GearNode>[]) => {
      onNodesChange(changes);
      for (const one of changes) {
        // Keep the position where it was dropped, by mouse or arrow keys.
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
      aria-label="Rig diagram"
      ariaLabelConfig={ARIA_LABELS}
      nodes={nodes}
      edges={edges}
      nodeTypes={NODE_TYPES}
      edgeTypes={EDGE_TYPES}
      onNodesChange={change}
      onEdgesChange={changeCables}
      onConnect={connectSockets}
      onEdgesDelete={removeCables}
      deleteKeyCode={DELETE_KEYS}
      onPaneClick={chooseNone}
      proOptions={WITHOUT_BADGE}
      minZoom={0.2}
      maxZoom={1.15}
    >
      <Controls showInteractive={false} position="bottom-right" />
      <Plugging />
      <Refit bounds={figure.bounds} gear={`${rig.id} ${rig.gear.length}`} />
    </ReactFlow>
  );
}

/** What to do next while a cable is plugged in by keyboard. */
function Plugging() {
  const words = usePlugging(({ words }) => words);
  useEffect(() => cancelCable, []);
  return (
    <Panel position="top-left" role="status" className="max-w-96 bg-sheet text-sm">
      {words}
    </Panel>
  );
}

/** Reuses an unchanged node, so that it isn't re-rendered. */
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

/** Fits the view when gear is added or removed. */
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

/** Unchanged edges keep their identity, so that they aren't re-rendered. */
function useEdges(plan: RigPlan, figure: Figure, chosenId: string | null): CableEdgeData[] {
  const [known] = useState(() => new Map<string, CableEdgeData>());
  const [latest] = useState(() => new Map<'edges', CableEdgeData[]>());
  return useMemo(() => {
    const now = plan.cables.map((cable) => {
      const edge = { ...edgeOf(plan, cable, figure), selected: cable.id === chosenId };
      const text = JSON.stringify(edge);
      const same = known.get(text) ?? edge;
      if (known.size > MAX_KNOWN) known.clear();
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
    ariaLabel: `Cable from ${socketWords(plan, from)} to ${socketWords(plan, to)}: ${CARRIES[carriedBy(plan, cable)]}${isDashed(plan, cable) ? ' over the network' : ''}`,
    ...(way && { data: { ...way } }),
    style: { stroke: inkOf(plan, cable), ...(isDashed(plan, cable) && { strokeDasharray: '6 4' }) },
  };
}

const socketWords = (plan: RigPlan, ref: SocketRef) =>
  `${gearOf(plan, ref.gearId)?.name ?? 'Hub'}, ${socketOf(plan, ref)?.label ?? 'socket'}`;

function sameAll<Item>(before: readonly Item[], now: readonly Item[]): boolean {
  return before.length === now.length && now.every((one, i) => one === before[i]);
}

function removeCables(gone: readonly { id: string }[]): void {
  void changeRig((before) => gone.reduce<Rig>((done, { id }) => disconnect(done, id), before));
}

function connectSockets({ source, sourceHandle, target, targetHandle }: Connection): void {
  void plugIn({ gearId: source, socketId: sourceHandle ?? '' }, { gearId: target, socketId: targetHandle ?? '' });
}

async function moveTo(id: string, place: { x: number; y: number }): Promise<void> {
  const before = useSession.getState().rig?.gear.find((one) => one.id === id);
  // The hub is placed by the layout, and a click isn't a move.
  if (!before || (before.place?.x === place.x && before.place.y === place.y)) return;
  await changeRig((rig) => ({ ...rig, gear: rig.gear.map((one) => (one.id === id ? { ...one, place } : one)) }));
}
