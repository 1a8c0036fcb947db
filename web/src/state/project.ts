import { PaintSocket } from "../api/paint_socket";
import { keepDesk } from "../api/rest";
import type { Outgoing } from "../api/outgoing";
import type { HistoryState, ServerMessage, StateChanged } from "../api/schema.generated";
import type { Batch } from "../api/wire";
import { type DocumentState, documentOf, patched } from "./document";
import { followNames, keptColors, restoreDesk, settleTargets, takeKeptColors, takeSample, useDesk } from "./desk";
import { openNodeCard } from "./cards";
import { chooseDecal, decalRests, decalShown, emptyHand, findDecal, goneTo, useDecals } from "./decals";
import { endNaming, touch } from "./layers";
import { leave, sayOfLast } from "./notices";
import { forgetProject } from "./of_project";
import { layerById, useSession } from "./session";
import { followPictures } from "./stencils";

const DESK_DELAY = 400;

export type BatchListener = (batch: Batch, bytes: number) => void;

/** An open project: the socket, and the stores it feeds. */
export class Project {
  readonly socket: PaintSocket;
  private readonly stopDesk: () => void;
  private deskTimer = 0;
  private welcomed = false;
  /** Palette and pigments as all tabs know them. */
  private colors = "";
  private taking = false;
  /** Whether an edit is shown that is not made yet, because something moves that it follows. */
  showing = false;
  onBatch: BatchListener = () => undefined;
  onStrokeEnded: (stroke: number) => void = () => undefined;

  constructor(readonly id: string) {
    forgetProject();
    decalRests();
    this.socket = new PaintSocket(id, {
      message: (message) => this.take(message),
      batch: (batch, bytes) => this.onBatch(batch, bytes),
      connected: (connected) => {
        useSession.setState({ connected, away: !connected });
        if (!connected) this.onStrokeEnded(-1);
      },
    });
    this.stopDesk = useDesk.subscribe(() => {
      if (!this.welcomed || this.taking) return;
      clearTimeout(this.deskTimer);
      this.deskTimer = window.setTimeout(() => this.sendDesk(), DESK_DELAY);
    });
    addEventListener("pagehide", this.sendDesk);
  }

  send(message: Outgoing): void {
    this.showing = message.type === "show" && message.edit !== null && message.edit.type !== "show_mask";
    if (!this.socket.send(message)) {
      useSession.setState({ notice: "The connection is lost; nothing was changed. It comes back by itself." });
    }
  }

  close(): void {
    this.sendDesk();
    this.stopDesk();
    removeEventListener("pagehide", this.sendDesk);
    this.socket.close();
  }

  private readonly sendDesk = (): void => {
    clearTimeout(this.deskTimer);
    if (!this.welcomed) return;
    // Known as sent from now on: what another tab makes of them may be told before the answer comes.
    this.colors = keptColors();
    keepDesk(this.id, useDesk.getState()).catch(() => {
      // The server is away, which is said elsewhere; the desk goes again with the next welcome.
      this.colors = "";
    });
  };

  /** Another tab's colors, unless they were changed here and not sent yet. What is taken over is not sent around again. */
  private takeBeside(desk: Record<string, unknown>): void {
    if (keptColors() !== this.colors) return;
    this.taking = true;
    takeKeptColors(desk);
    this.taking = false;
    this.colors = keptColors();
  }

  /** Undo or redo; what was said about the last step is past then. */
  step(way: "undo" | "redo"): void {
    leave();
    this.send({ type: way });
  }

  private become(state: DocumentState | null, history: HistoryState): void {
    useSession.setState({ state, history });
  }

  private state(): DocumentState {
    const { state } = useSession.getState();
    if (!state) throw new Error("The server sent a project without a model. Reload the page.");
    return state;
  }

  private follow(before: DocumentState | null, { values, touched, history }: StateChanged): void {
    touch(touched ?? []);
    useDecals.setState({ shown: null });
    this.become(patched(before, values), history);
    followNames(before, this.state());
    followPictures(before, this.state());
    emptyHand(this.state());
    endNaming(this.state());
    this.settle();
    const layer = goneTo(before, this.state());
    if (layer) this.choose(layer);
  }

  private settle(): void {
    settleTargets(this.state());
  }

  private take(message: ServerMessage): void {
    switch (message.type) {
      case "welcome":
        this.become(documentOf(message.values), message.history);
        // After a lost connection the desk in this tab is newer than the one that was kept.
        if (this.welcomed) {
          this.settle();
          this.sendDesk();
        } else {
          restoreDesk(message.desk, this.state());
          this.colors = keptColors();
        }
        followPictures(null, this.state());
        this.welcomed = true;
        break;
      case "desk_beside":
        this.takeBeside(message.desk);
        break;
      case "state":
        this.follow(useSession.getState().state, message);
        break;
      case "decal_shown":
        decalShown(this, message.decal);
        break;
      case "made":
        for (const id of message.ids) this.goOnWith(id);
        break;
      case "kept":
        useSession.setState({ kept: message });
        break;
      case "work":
        useSession.setState({ work: message.share == null ? null : { label: message.label, share: message.share, mine: message.mine ?? false } });
        break;
      case "sampled":
        if (!takeSample(message.pigment)) sayOfLast("The chosen layer holds no paint here, so nothing was sampled.");
        break;
      case "notice":
        this.say(message.message, message.layer ?? null);
        break;
      case "people":
        useSession.setState({ people: message.count });
        break;
      case "refused":
        this.say(message.message, null);
        decalRests();
        useDecals.setState({ shown: null });
        if (message.stroke != null) this.onStrokeEnded(message.stroke);
        break;
      case "stroke_ended":
        this.onStrokeEnded(message.stroke);
        break;
    }
  }

  /** A sentence, and the layer that it says is the one to choose. */
  private say(sentence: string, layer: string | null): void {
    const offered = layer && layerById(useSession.getState().state, layer);
    if (offered) sayOfLast(sentence, `Choose ${offered.name}`, () => this.choose(offered.id));
    else sayOfLast(sentence);
  }

  /** What was asked for is there: a layer becomes the target, a region the fence. */
  private goOnWith(id: string): void {
    if (this.state().regions.some((region) => region.id === id)) useDesk.setState({ fence: id, fenceOn: true });
    else if (findDecal(this.state(), id)) chooseDecal(id);
    else {
      // A wash that its mask hides is there to be painted on it.
      const layer = layerById(this.state(), id);
      this.choose(id, layer?.kind === "wash" && layer.mask?.start === 0);
    }
  }

  /** Make a layer, and its surface, the target of strokes: its paint or its mask. */
  choose(layer: string, mask = false): void {
    const surface = useSession.getState().state?.surfaces.find((s) => s.layers.some((l) => l.id === layer));
    if (surface) {
      const maskTarget = mask ? layer : null;
      useDesk.setState(({ layers }) => ({ surface: surface.name, layers: { ...layers, [surface.name]: layer }, maskTarget }));
      // What has no paint of its own is worked on by its numbers.
      const { kind } = surface.layers.find(({ id }) => id === layer)!;
      if (kind !== "brushed" && kind !== "group") openNodeCard();
    }
  }
}
