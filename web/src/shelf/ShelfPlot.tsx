/** The models of a kind as quality against time: what each gains on what it is made for, and what a megapixel takes here. */

import { Box } from "@mui/material";
import type { Model } from "../api/client";
import { type Group, QualityPlot } from "../app/QualityPlot";
import { cardId } from "./measures";

const GROUPS: { id: string; name: string; look: Group["look"]; holds: (m: Model) => boolean }[] = [
  { id: "twice", name: "twice", look: "other", holds: ({ card }) => card.kind === "enlarge" && card.factor <= 2 },
  { id: "more", name: "four times", look: "marked", holds: ({ card }) => card.kind === "enlarge" && card.factor > 2 },
  { id: "clean", name: "cleaners", look: "plain", holds: ({ card }) => card.kind === "clean" },
];

const FEWEST = 3;

export function ShelfPlot({ models }: { models: Model[] }) {
  const groups = GROUPS.map(({ holds, ...group }) => ({
    ...group,
    points: models.filter(holds).flatMap((m) => {
      const own = m.evidence.find((e) => e.own);
      return own && m.pixels_per_second
        ? [{ id: m.card.id, name: m.title, seconds: 1e6 / m.pixels_per_second, dB: own.mean }]
        : [];
    }),
  }));
  // A few points say little against each other, while the machine is still measuring itself.
  if (groups.flatMap((group) => group.points).length < FEWEST) return null;
  return (
    <Box sx={{ mb: 2, maxWidth: 920, bgcolor: "background.paper", border: 1, borderColor: "divider" }}>
      <QualityPlot
        about="dB gained on what each is made for, against seconds a megapixel here: higher is better, further right is slower"
        groups={groups}
        onPick={(id) => document.getElementById(cardId(String(id)))?.scrollIntoView({ block: "start" })}
      />
    </Box>
  );
}
