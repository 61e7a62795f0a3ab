import type { GridPosition } from '../transport/timeline';
import type { TempoMap } from '../tempo/tempo-map';
import { Players } from './players';
import { Source, type OtherCode, type SourceSettings, type SourceSnapshot } from './source';

/**
 * Who takes over: the first in the order leads, and the others only if it is lost; or whoever of them starts to play, and
 * the first of several for as long as it plays.
 */
export type TakeOver = 'inOrder' | 'whoeverPlays';

/** The hub's id in the fallback order. */
export const HUB = 'hub';

/** The sources, the one of them that leads or the hub, and who comes next. It decides nothing by itself. */
export class Leaders {
  #sources = new Map<string, Source>();
  #order: readonly string[] = [HUB];
  #takeOver: TakeOver = 'inOrder';
  readonly #players = new Players();
  #leader: string = HUB;
  #nowMs = 0;
  #heardUntilMs = 0;

  /** `heardUntilMs`: incoming messages are known up to then. */
  wake(nowMs: number, heardUntilMs: number): void {
    this.#nowMs = nowMs;
    this.#heardUntilMs = heardUntilMs;
  }

  /** A source continues if at most its offset changed. */
  setSources(sources: readonly SourceSettings[]): void {
    const before = this.#sources;
    this.#sources = new Map();
    for (const settings of sources) {
      const old = before.get(settings.id);
      this.#sources.set(settings.id, old?.change(settings) ? old : new Source(settings));
    }
  }

  /** Ids of devices or the hub, leader first. */
  setOrder(order: readonly string[], takeOver: TakeOver): void {
    this.#order = order.length > 0 ? [...order] : [HUB];
    this.#takeOver = takeOver;
  }

  get takeOver(): TakeOver {
    return this.#takeOver;
  }

  /** The source that leads, or the hub. */
  get id(): string {
    return this.#leader;
  }

  /** The device that leads, or the hub. */
  get deviceId(): string {
    return this.deviceOf(this.#leader);
  }

  /** Undefined if the hub leads. */
  get source(): Source | undefined {
    return this.#sources.get(this.#leader);
  }

  get hubLeads(): boolean {
    return this.#leader === HUB;
  }

  /** The tempo is that of a clock. */
  get byClock(): boolean {
    const { language, gives } = this.source?.settings ?? {};
    return language === 'clock' && gives !== 'transport';
  }

  /** The song's own tempo applies. */
  get hasOwnTempo(): boolean {
    return this.hubLeads || this.source?.settings.gives === 'transport';
  }

  /** It was removed while it led. */
  get isGone(): boolean {
    return !this.hubLeads && !this.#sources.has(this.#leader);
  }

  lead(id: string): void {
    this.#leader = id;
  }

  get(id: string): Source | undefined {
    return this.#sources.get(id);
  }

  /** Those that listen to an input port. */
  on(portId: string): Source[] {
    return [...this.#sources.values()].filter(({ settings }) => settings.portId === portId);
  }

  snapshot(song: TempoMap, grid: GridPosition): SourceSnapshot[] {
    return [...this.#sources.values()].map((source) => ({
      ...source.snapshot(this.#nowMs, this.#heardUntilMs),
      apart: source.apart(this.#nowMs, song, grid),
    }));
  }

  /** The first timecode that rolls, in the order of the leaders, for those after it to be compared with. */
  otherCode(source: Source, atMs: number): OtherCode | null {
    if (source.settings.language !== 'timecode') return null;
    const place = ({ settings: { id, gearId = id } }: Source) => {
      const at = this.#order.indexOf(gearId);
      return at < 0 ? this.#order.length : at;
    };
    const [first] = [...this.#sources.values()]
      .filter((one) => one === source || one.secondsAt(atMs) !== null)
      .sort((a, b) => place(a) - place(b));
    return !first || first === source ? null : { id: first.settings.id, secondsAt: (ms) => first.secondsAt(ms) };
  }

  /** Its clock or timecode is locked, and rolls if it gives the transport. */
  canLead(id: string): boolean {
    if (id === HUB) return true;
    const source = this.#sources.get(id);
    if (!source) return false;
    const { state, rolling } = source.snapshot(this.#nowMs, this.#heardUntilMs);
    return state === 'locked' && (rolling || source.settings.gives === 'tempo');
  }

  /** The first in the order. */
  get first(): string {
    return this.sourceFor(this.#order[0] ?? HUB);
  }

  /** The first in the order that is heard. */
  get firstHeard(): string | undefined {
    return this.#order.map((id) => this.sourceFor(id)).find((id) => this.#hears(id));
  }

  /** Who can take over if the leader is lost. */
  get next(): string | undefined {
    const after =
      this.#takeOver === 'inOrder'
        ? this.#order.slice(this.#order.indexOf(this.deviceId) + 1).map((id) => this.sourceFor(id))
        : this.#players.inOrder;
    return after.find((id) => id !== this.#leader && this.canLead(id));
  }

  /** Notes who plays; `follows`: whether a device that starts now only follows the hub. */
  watchPlayers(follows: (deviceId: string) => boolean): void {
    const playing = this.#order
      .map((id) => this.sourceFor(id))
      .filter((id) => this.#sources.get(id)?.settings.gives !== 'tempo' && id !== HUB && this.canLead(id));
    this.#players.update(this.#nowMs, playing, (id) => id !== this.#leader && follows(this.deviceOf(id)));
  }

  /** Who began to play first, and may lead. */
  get firstPlayer(): string | undefined {
    return this.#players.inOrder[0];
  }

  /** Nobody who plays now takes over. */
  passOver(): void {
    this.#players.passOver();
  }

  /** The leader says that it rolls. */
  get rolls(): boolean {
    return this.source?.snapshot(this.#nowMs, this.#heardUntilMs).rolling ?? false;
  }

  /** A device may be connected by several cables: the one where its clock runs leads; by default the current one. */
  sourceFor(deviceId: string): string {
    const ids = [...this.#sources.keys()].filter((id) => this.deviceOf(id) === deviceId);
    const inOrder = [...ids].sort((a, b) => Number(b === this.#leader) - Number(a === this.#leader));
    const leads = (id: string) => this.canLead(id);
    return inOrder.find(leads) ?? inOrder.find((id) => this.#hears(id)) ?? inOrder[0] ?? deviceId;
  }

  #hears(id: string): boolean {
    return this.#sources.get(id)?.snapshot(this.#nowMs, this.#heardUntilMs).state === 'locked';
  }

  /** The id in the order of a source. */
  deviceOf(sourceId: string): string {
    return this.#sources.get(sourceId)?.settings.gearId ?? sourceId;
  }
}
