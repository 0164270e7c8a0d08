/** How much room an element has. */

import { type RefObject, useEffect, useRef, useState } from "react";

export interface Room {
  width: number;
  height: number;
}

/** `first` is taken until the element is there, and where nobody can tell. */
export function useRoom(first: Room): [RefObject<HTMLDivElement | null>, Room] {
  const element = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(first);
  useEffect(() => {
    if (!element.current || typeof ResizeObserver === "undefined") return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setRoom({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(element.current);
    return () => observer.disconnect();
  }, []);
  return [element, room];
}
