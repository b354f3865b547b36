import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Package = Schemas['PackageView'];
export type Item = Schemas['ItemView'];
export type Recipient = Schemas['RecipientView'];
export type PackageRow = Schemas['RowView'];
export type Strand = Schemas['StrandView'];
export type DeskData = Schemas['DeskView'];
export type LedgerData = Schemas['LedgerView'];
export type LedgerRow = Schemas['LedgerRowView'];
export type Cell = Schemas['CellView'];
export type Note = Schemas['NoteView'];
export type GuestPage = Schemas['GuestView'];
export type GuestItem = Schemas['GuestItemView'];
export type Rule = Schemas['Rule'];
export type Facts = Schemas['Facts'];
export type Thing = Schemas['ThingView'];
export type WholeThing = Schemas['WholeView'];
export type Version = Schemas['VersionView'];
export type Place = Schemas['PlaceView'];
export type Finding = Schemas['Finding'];
export type Offer = Schemas['Offer'];
export type Entry = Schemas['EntryView'];
export type Listing = Schemas['EntriesView'];
export type Swatch = Schemas['SwatchView'];
export type ThingData = Schemas['Data'];
export type Anchor = Schemas['Anchor'];
export type Stroke = Schemas['Stroke'];
export type Attachment = Schemas['Attachment'];
export type RoomData = Schemas['RoomView'];

export const api = createClient<paths>({ baseUrl: '/' });

/** A refusal or fault, in the words of the server. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly status: number,
    readonly code: string,
    readonly at = '',
  ) {
    super(message);
  }
}

let signedOut: () => void = () => undefined;
/** Says that an answer had it that nobody is signed in any more, where it did not come through need. */
export const saySignedOut = () => signedOut();
/** Calls back whenever an answer says that nobody is signed in any more. */
export function onSignedOut(call: () => void) {
  signedOut = call;
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Takes the data out of an answer, or throws what went wrong. */
export async function need<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    throw new Problem(
      'The studio does not answer. Nothing is lost; it is tried again when you are back on line.',
      0,
      'unreachable',
    );
  }
  if (!answer.response.ok) {
    if (answer.response.status === 401) signedOut();
    const problem = answer.error as { detail?: string; code?: string; at?: string } | undefined;
    throw new Problem(
      problem?.detail ?? 'Something failed on the way. Try again in a minute.',
      answer.response.status,
      problem?.code ?? 'fault',
      problem?.at,
    );
  }
  return answer.data as T;
}

/** The words to show for anything that was thrown. */
export function words(thrown: unknown): string {
  return thrown instanceof Problem
    ? thrown.message
    : 'Something failed in this page. Reload it; what was saved is safe.';
}
