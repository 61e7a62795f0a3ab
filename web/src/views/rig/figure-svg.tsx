import type { RigPlan } from '@metronomo/core';
import type { Rig } from '../../store/records';
import { cablePath } from './cable-path';
import { figureOf, inkOf, isDashed, socketPoint } from './figure';
import { gearSummary } from './gear-sheet';
import { SHEET_WIDTH, sheetHeight } from './lay-out';

/** A static diagram of the rig, for print. */
export function FigureSvg({ rig, plan }: { rig: Rig; plan: RigPlan }) {
  const { places, ways, bounds } = figureOf(rig, plan);
  const at = (id: string) => places.get(id) ?? { x: 0, y: 0 };
  const gearOf = (id: string) => plan.gear.find((one) => one.id === id);
  return (
    <svg
      viewBox={`${bounds.x} ${bounds.y} ${bounds.width} ${bounds.height}`}
      className="max-h-[170mm] w-full"
      role="img"
      aria-label={`Diagram of ${rig.name}`}
    >
      {plan.cables.map((cable) => {
        const [from, to, way] = [gearOf(cable.from.gearId), gearOf(cable.to.gearId), ways.get(cable.id)];
        if (!from || !to || !way) return null;
        const start = socketPoint(from, cable.from.socketId, at(from.id));
        const end = socketPoint(to, cable.to.socketId, at(to.id));
        return (
          <path
            key={cable.id}
            d={cablePath(start, end, way)}
            fill="none"
            stroke={inkOf(plan, cable)}
            strokeWidth="1.5"
            {...(isDashed(plan, cable) && { strokeDasharray: '6 4' })}
          />
        );
      })}
      {plan.gear.map((gear) => {
        const { x, y } = at(gear.id);
        const middle = y + sheetHeight(gear) / 2;
        const leads = rig.leaders[0] === gear.id;
        return (
          <g key={gear.id}>
            <rect
              x={x}
              y={y}
              width={SHEET_WIDTH}
              height={sheetHeight(gear)}
              fill="#fff"
              stroke="#000"
              strokeWidth={leads ? 2 : 1}
            />
            <text x={x + SHEET_WIDTH / 2} y={middle - 2} textAnchor="middle" fontSize="14" fontWeight="bold">
              {gear.name}
            </text>
            <text x={x + SHEET_WIDTH / 2} y={middle + 14} textAnchor="middle" fontSize="12">
              {gearSummary(gear, leads)}
            </text>
            {gear.sockets.map(({ id, label, direction }) => {
              const point = socketPoint(gear, id, { x, y });
              const isIn = direction === 'in';
              return (
                <g key={id}>
                  <circle cx={point.x} cy={point.y} r="4" fill={isIn ? '#fff' : '#000'} stroke="#000" />
                  <text x={point.x + (isIn ? 9 : -9)} y={point.y + 4} textAnchor={isIn ? 'start' : 'end'} fontSize="12">
                    {label.slice(0, 11)}
                  </text>
                </g>
              );
            })}
          </g>
        );
      })}
    </svg>
  );
}
