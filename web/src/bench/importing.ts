/** Files on their way into an order, each by itself: one that is refused does not hold up the others. */

import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { sendFile, sentence } from "../api/client";
import { keys } from "../api/queries";

/** How many files are sent at once. */
const AT_ONCE = 3;

export interface Arriving {
  key: number;
  name: string;
  /** Share that is sent, 0 to 1; then the server reads it. */
  sent: number;
}

export interface Notice {
  key: number;
  /** The order that the file was for. */
  order: number;
  name: string;
  text: string;
  refused: boolean;
}

export interface Imports {
  arriving: Arriving[];
  notices: Notice[];
  add: (files: File[]) => void;
  dismiss: () => void;
}

interface Sending {
  key: number;
  order: number;
  file: File;
  /** The first of its batch: it is shown when it has arrived. */
  first: boolean;
}

export function useImports(order: number | undefined, arrived: (original: number) => void): Imports {
  const client = useQueryClient();
  const [arriving, setArriving] = useState<Arriving[]>([]);
  const [notices, setNotices] = useState<Notice[]>([]);
  const queue = useRef<Sending[]>([]);
  const running = useRef(0);
  const count = useRef(0);

  const send = async ({ key, order, file, first }: Sending) => {
    const notice = (text: string, refused: boolean, name = file.name) =>
      setNotices((all) => [...all, { key, order, name, text, refused }]);
    const progress = (sent: number) => setArriving((all) => all.map((a) => (a.key === key ? { ...a, sent } : a)));
    try {
      const outcomes = await sendFile(order, file, progress);
      for (const outcome of outcomes) {
        if (outcome.refused) notice(outcome.refused.detail, true, outcome.name);
        else if (outcome.already_there) notice("the order has this very file already", false, outcome.name);
      }
      const original = outcomes.find((o) => o.original)?.original;
      if (original && first) arrived(original.id);
    } catch (error) {
      notice(sentence(error), true);
    }
    setArriving((all) => all.filter((a) => a.key !== key));
    void client.invalidateQueries({ queryKey: keys.order(order) });
    void client.invalidateQueries({ queryKey: keys.orders });
  };

  /** One of several that empty the queue together. */
  const work = async () => {
    running.current += 1;
    for (let item = queue.current.shift(); item; item = queue.current.shift()) await send(item);
    running.current -= 1;
  };

  const add = (files: File[]) => {
    if (order === undefined || files.length === 0) return;
    const items = files.map((file, i) => ({ key: ++count.current, order, file, first: i === 0 }));
    queue.current.push(...items);
    setArriving((all) => [...all, ...items.map(({ key, file }) => ({ key, name: file.name, sent: 0 }))]);
    for (let i = running.current; i < AT_ONCE && queue.current.length > 0; i++) void work();
  };
  return { arriving, notices, add, dismiss: () => setNotices([]) };
}

/** The files of a drop, those inside folders included. */
export async function droppedFiles(transfer: DataTransfer): Promise<File[]> {
  // Entries must be taken before the first wait: the browser empties the list afterwards.
  const entries = Array.from(transfer.items).map((item) => item.webkitGetAsEntry?.());
  if (entries.every((entry) => !entry)) return Array.from(transfer.files);
  const lists = await Promise.all(entries.map((entry) => (entry ? filesIn(entry) : [])));
  return lists.flat();
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.name.startsWith(".")) return [];
  if (entry.isFile) {
    return [await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const files: File[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return files;
    for (const inner of some) files.push(...(await filesIn(inner)));
  }
}
