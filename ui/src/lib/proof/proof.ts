/** What a proof of delivery says; its form is that of docs/proof.md. */
export interface Proof {
  made_at: string;
  studio: string;
  made_by: string;
  package: {
    id: string;
    title: string;
    sender: string;
    sent_at: string;
    ends_at?: string;
    state: string;
    door: string;
    size: number;
  };
  items: { id: string; name: string; version: number; size: number; sha256?: string; xxh128: string }[];
  recipients: {
    id: string;
    name: string;
    email?: string;
    rights: string[];
    opened_at?: string;
    complete: boolean;
    removed?: boolean;
    items: {
      item: string;
      bytes: number;
      complete: boolean;
      completed_at?: string;
      played_ms?: number;
      by_proxy?: boolean;
      kept_at?: string;
      older?: boolean;
    }[];
  }[];
  events: { seq: number; at: string; says: string; sum: string }[];
  head: string;
}
