import { useQuery } from "@tanstack/react-query";
import { body, client, type Note, type Review, type Schemas } from "./client";
import { keys, queries } from "./queries";

export const useReviews = () =>
  useQuery({
    queryKey: keys.reviews,
    queryFn: () => body<Schemas["WaitingOut"][]>(client.GET("/api/reviews")),
    staleTime: 2_000,
  });

/** A shot's versions, notes and verdicts. */
export const useReview = (shot: number) =>
  useQuery({
    queryKey: keys.review(shot),
    queryFn: () => body<Review>(client.GET("/api/shots/{shot}/review", { params: { path: { shot } } })),
    staleTime: 5_000,
  });

/** Whether a shot's report is made. */
export const useReport = (shot: number) =>
  useQuery({
    queryKey: keys.report(shot),
    queryFn: () => body<Schemas["ReportOut"]>(client.GET("/api/shots/{shot}/report", { params: { path: { shot } } })),
    staleTime: 5_000,
  });

/** Does something to a shot's review; its notes and versions are asked for anew, whatever comes of it. */
export const ofReview = (shot: number, sent: Promise<unknown>, told: (words: string) => void) =>
  sent
    .then(
      () => true,
      (problem: Error) => {
        told(problem.message);
        return false;
      },
    )
    .finally(() => {
      void queries.invalidateQueries({ queryKey: keys.review(shot) });
      void queries.invalidateQueries({ queryKey: keys.reviews });
    });

/** What can be done to a note, wherever it is shown. */
export function onNote(note: Note, told: (words: string) => void) {
  const params = { path: { note: note.id } };
  return {
    tick: (done: boolean) =>
      void ofReview(note.shot, client.PATCH("/api/notes/{note}", { params, body: { done } }), told),
    answer: (words: string) =>
      ofReview(note.shot, client.POST("/api/notes/{note}/answers", { params, body: { words } }), told),
    takeBack: () => void ofReview(note.shot, client.DELETE("/api/notes/{note}", { params }), told),
  };
}
