import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./generated";

export type Schemas = components["schemas"];
export type Fix = Schemas["FixOut"];
export type Hold = Schemas["HoldOut"];
export type Method = Schemas["MethodData"];
export type Ground = Schemas["GroundData"];
export type Shot = Schemas["ShotOut"];
export type Job = Schemas["JobOut"];
export type Delivery = Schemas["DeliveryOut"];
export type Node = Schemas["Node"];
export type Outline = Schemas["OutlineData"];
export type Match = Schemas["MatchData"];
export type StrokeRow = Schemas["StrokeOut"];
export type Tells = Schemas["TellsOut"];
export type TellRow = Schemas["TellOut"];
export type Session = Schemas["SessionOut"];
export type Piece = Schemas["PieceData"];
export type Version = Schemas["VersionOut"];
export type Note = Schemas["NoteOut"];
export type Review = Schemas["ReviewOut"];

/** What went wrong, in words for the artist; `kind` is for the program. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly kind: string,
    readonly status: number,
  ) {
    super(message);
  }
}

let token = "";
export function setToken(csrf: string) {
  token = csrf;
}
export const csrf = () => token;

const guard: Middleware = {
  onRequest({ request }) {
    if (token) request.headers.set("X-CSRFToken", token);
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return;
    const body = await response
      .clone()
      .json()
      .catch(() => null);
    throw new Problem(
      body?.title ?? `The server could not answer (${response.status}). Your work is kept; try again in a moment.`,
      body?.kind ?? "server",
      response.status,
    );
  },
  onError() {
    return new Problem("The server cannot be reached. Nothing is lost; it goes on when it is back.", "offline", 0);
  },
};

export const client = createClient<paths>({ baseUrl: "/", credentials: "same-origin" });
client.use(guard);

/**
 * The body of an answer; failures have been thrown by the guard. The client widens tuples to arrays, so the schema's
 * own type is named by the caller.
 */
export async function body<T>(answer: Promise<{ data?: unknown }>): Promise<T> {
  return (await answer).data as T;
}
