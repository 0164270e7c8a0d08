/** Everything that was said to the person since the page was loaded, the latest last. */

import { create } from "zustand";

export interface Message {
  at: Date;
  /** The file or view that it is about. */
  about?: string;
  text: string;
  refused: boolean;
}

const MOST = 500;

export const useMessages = create<{ all: Message[] }>(() => ({ all: [] }));

export function note(text: string, part: Partial<Message> = {}): void {
  const message = { at: new Date(), refused: false, ...part, text };
  useMessages.setState(({ all }) => ({ all: [...all, message].slice(-MOST) }));
}
