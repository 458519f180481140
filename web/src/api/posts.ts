import type { paths } from "./generated";

/** What can be posted to a job, by the last part of its route. */
type Posted = {
  [P in keyof paths as P extends `/api/jobs/{id}/${infer What}`
    ? paths[P] extends { post: object }
      ? What extends `${string}/${string}`
        ? never
        : What
      : never
    : never]: paths[P] extends { post: infer Post } ? Post : never;
};

/** A route of a job that takes something. */
export type What = keyof Posted;

/** What is asked of a request's body, needed or not. */
type Asked<W extends What> = Posted[W] extends { requestBody?: infer Asked }
  ? NonNullable<Asked>
  : never;

/** What a route takes; nothing where it takes none. */
export type BodyOf<W extends What> =
  Asked<W> extends { content: { "application/json": infer Body } } ? Body : undefined;

/** What a route answers. */
export type AnswerOf<W extends What> = Posted[W] extends {
  responses: { 200: { content: { "application/json": infer Answer } } };
}
  ? Answer
  : undefined;

/** What is handed to a route beside its name: its body, if it takes one. */
export type Sent<W extends What> = [Asked<W>] extends [never]
  ? []
  : Posted[W] extends { requestBody: object }
    ? [body: BodyOf<W>]
    : [body?: BodyOf<W>];

/** Something that posts to a job's routes, each with what it takes. */
export type Act = <W extends What>(what: W, ...sent: Sent<W>) => Promise<unknown>;
