/** Quality against time of a rehearsal's methods. */

import { Box } from "@mui/material";
import { type Rehearsal as Rehearsed } from "../api/client";
import { QualityPlot } from "../app/QualityPlot";

export function QualityAndTime(props: { kept: Rehearsed; shown: number[]; onToggle: (row: number) => void }) {
  const points = props.kept.rows.flatMap((row, id) =>
    row.figures && row.seconds_per_megapixel
      ? [{ id, seconds: row.seconds_per_megapixel, dB: row.figures.psnr, name: row.name }]
      : [],
  );
  if (points.length < 2) return <Box sx={{ height: 212 }} aria-busy="true" />;
  const inView = (wanted: boolean) => points.filter((p) => props.shown.includes(p.id) === wanted);
  return (
    <Box sx={{ borderBottom: 1, borderColor: "divider" }}>
      <QualityPlot
        about="dB against seconds a megapixel: higher is nearer to the picture, further right is slower"
        groups={[
          { id: "others", look: "plain", points: inView(false) },
          { id: "shown", look: "marked", points: inView(true) },
        ]}
        onPick={(id) => props.onToggle(Number(id))}
      />
    </Box>
  );
}
