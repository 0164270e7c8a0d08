/** The server's API, typed from its OpenAPI document (`npm run api`). */

import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Affine = Schemas["Affine"];
export type Area = Schemas["Area"];
export type Batch = Schemas["Batch"];
export type BatchItem = Schemas["BatchItem"];
export type BatchPlan = Schemas["BatchPlan"];
export type Card = Schemas["Card"];
export type Change = Schemas["Change"];
export type Choice = Schemas["Choice"];
export type Ink = Schemas["Ink"];
export type Clean = Schemas["Clean"];
export type Repair = Schemas["Repair"];
export type Wear = Schemas["Wear"];
export type Fade = Schemas["Fade"];
export type Halftone = Schemas["Halftone"];
export type Counts = Schemas["Counts"];
export type CropChange = Schemas["CropChange"];
export type CropShape = Schemas["CropShape"];
export type TracedFiles = Schemas["TracedFiles"];
export type Drawing = Schemas["Drawing"];
export type Drawn = Schemas["Drawn"];
export type JobAction = Schemas["JobAction"];
export type Deleted = Schemas["DeletedView"];
export type Edges = Schemas["Edges"];
export type Edit = Schemas["Edit"];
export type Enlargement = Schemas["EnlargementView"];
export type FacesChoice = Schemas["FacesChoice"];
export type Facts = Schemas["Facts"];
export type Finding = Schemas["Finding"];
export type Finish = Schemas["Finish"];
export type Format = Schemas["Format"];
export type Frame = Schemas["Frame"];
export type Imported = Schemas["Imported"];
export type InWords = Schemas["InWords"];
export type Instruction = Schemas["Instruction"];
export type Job = Schemas["JobView"];
export type Kernel = Schemas["Kernel"];
export type Letter = Schemas["Letter"];
export type Look = Schemas["Look"];
export type Mask = Schemas["Mask"];
export type Measures = Schemas["MeasuresView"];
export type Model = Schemas["ModelView"];
export type Order = Schemas["OrderView"];
export type OrderContents = Schemas["OrderContents"];
export type OrderDetails = Schemas["OrderDetails"];
export type Original = Schemas["OriginalView"];
export type OwnFace = Schemas["OwnFace"];
export type Paper = Schemas["Paper"];
export type Plan = Schemas["Plan"];
export type PlannedFace = Schemas["PlannedFace"];
export type Printing = Schemas["Printing"];
export type Problem = Schemas["ProblemDetails"];
export type Product = Schemas["ProductView"];
export type Reading = Schemas["ReadingView"];
export type Recipe = Schemas["Recipe"];
export type Rehearsal = Schemas["Kept"];
export type RehearsalRequest = Schemas["RehearsalRequest"];
export type RehearsalRow = Schemas["Row"];
export type Removed = Schemas["RemovedView"];
export type RunSheet = Schemas["RunSheetView"];
export type SharedOrder = Schemas["SharedOrder"];
export type Size = Schemas["Size"];
export type Spot = Schemas["Spot"];
export type StepsInWords = Schemas["StepsInWords"];
export type Steps = Schemas["Steps"];
export type Suggestion = Schemas["SuggestionView"];
export type SuggestionFor = Schemas["SuggestionFor"];
export type Surround = Schemas["Surround"];
export type Target = Schemas["Target"];
export type Ticket = Schemas["Ticket"];
export type Tones = Schemas["TonesView"];
export type Trouble = Schemas["Trouble"];
export type Treating = Schemas["Treating"];
export type Unit = Schemas["Unit"];
export type Approval = Schemas["Approval"];
export type Who = Schemas["Who"];
export type Intent = Schemas["Intent"];
export type Rules = Schemas["Rules"];

export const api = createClient<paths>();

/** A refusal of the server, with its code and the sentence for people. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** A key for a request that is to have its effect once, however often it is sent. */
export function newKey(): string {
  // randomUUID is there on encrypted pages alone.
  return Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(36)).join("-");
}

/** The data of an answer, or its problem thrown. */
export async function answered<T>(request: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await request;
  if (response.ok) return data as T;
  const problem = error as Partial<Problem> | undefined;
  throw new Refusal({
    status: response.status,
    code: problem?.code ?? "unknown",
    detail: problem?.detail ?? `the server answered ${response.status}`,
    field: problem?.field,
  });
}

/** Sends an ONNX file to be tried and put on the shelf. */
export function addModel(file: File, name: string): Promise<Model> {
  const form = new FormData();
  form.append("name", name);
  form.append("file", file, file.name);
  return answered(api.POST("/api/v1/models", { body: { file: file.name }, bodySerializer: () => form }));
}

/** The sentence to show for whatever was thrown. */
export function sentence(error: unknown): string {
  if (error instanceof Refusal) return error.message;
  if (error instanceof TypeError) return "The server does not answer: is it still running?";
  return error instanceof Error ? error.message : String(error);
}

/** Sends one file to an order and tells the share that is sent; an archive comes to as many answers as it holds files. */
export function sendFile(order: number, file: File, progress: (share: number) => void): Promise<Imported[]> {
  // fetch cannot tell how much of a body is sent.
  return new Promise((resolve, reject) => {
    const form = new FormData();
    form.append("files", file, file.name);
    const request = new XMLHttpRequest();
    request.open("POST", `/api/v1/orders/${order}/originals`);
    request.upload.onprogress = (e) => progress(e.total ? e.loaded / e.total : 0);
    request.onerror = () => reject(new TypeError("no answer"));
    request.onload = () => {
      try {
        const body: unknown = JSON.parse(request.responseText);
        if (request.status === 200) resolve(body as Imported[]);
        else reject(new Refusal(body as Problem));
      } catch {
        reject(new Error(`the server answered ${request.status}`));
      }
    };
    request.send(form);
  });
}
