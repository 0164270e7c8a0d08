/** How often what was suggested was kept, and what was chosen instead. */

import { Alert, Box, Link, Typography } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { type StepsInWords, answered, api, sentence } from "../api/client";
import { counted } from "../app/format";
import { pathOf } from "../app/place";
import { Panel } from "./Panel";

export function SuggestionsPanel() {
  const followed = useQuery({
    queryKey: ["suggestions"],
    queryFn: () => answered(api.GET("/api/v1/suggestions")),
    staleTime: 0,
  });
  const { subjects = [], otherwise = [] } = followed.data ?? {};
  return (
    <Panel
      title="Suggestions"
      about="How often the pictures that were worked on are treated as suggested, by what they show. Faces are left out."
    >
      {followed.isError && <Alert severity="error">{sentence(followed.error)}</Alert>}
      {followed.data && subjects.length === 0 && (
        <Typography variant="body2">No picture with a suggestion has been worked on yet.</Typography>
      )}
      {subjects.length > 0 && (
        <Box
          component="table"
          sx={{
            width: "100%",
            borderSpacing: 0,
            typography: "body2",
            "& th": { fontWeight: "fontWeightRegular", color: "text.secondary" },
          }}
        >
          <thead>
            <tr>
              <Box component="th" scope="col" sx={{ textAlign: "left" }}>
                Shows
              </Box>
              {["pictures", "kept", "a step changed", "another model"].map((name) => (
                <Box key={name} component="th" scope="col" sx={{ textAlign: "right" }}>
                  {name}
                </Box>
              ))}
            </tr>
          </thead>
          <tbody>
            {subjects.map(({ shows, pictures, kept, changed, other_model }) => (
              <tr key={shows}>
                <th scope="row" style={{ textAlign: "left" }}>
                  {shows}
                </th>
                {[pictures, kept, changed, other_model].map((count, i) => (
                  <Box key={i} component="td" sx={{ textAlign: "right", color: "measured" }}>
                    {count}
                  </Box>
                ))}
              </tr>
            ))}
          </tbody>
        </Box>
      )}
      {otherwise.length > 0 && (
        <Box component="details" sx={{ typography: "body2" }}>
          <Box component="summary" sx={{ cursor: "pointer" }}>
            {counted(otherwise.length, "picture")} treated otherwise
          </Box>
          <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", maxHeight: 260, overflowY: "auto" }}>
            {otherwise.map((one) => (
              <Box component="li" key={one.original_id} sx={{ borderTop: 1, borderColor: "divider", py: 0.5 }}>
                <Link href={pathOf({ view: "bench", order: one.order_id, picture: one.original_id })}>{one.name}</Link>
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  {differences(one.suggested, one.chosen)}
                </Typography>
              </Box>
            ))}
          </Box>
        </Box>
      )}
    </Panel>
  );
}

const STEPS: (keyof StepsInWords)[] = ["clean", "enlarge", "finish"];

/** What was chosen where it is another than what was suggested. */
function differences(suggested: StepsInWords, chosen: StepsInWords): string {
  const other = STEPS.filter((step) => suggested[step] !== chosen[step]);
  const words = other.map((step) => `${step}: ${chosen[step]} instead of ${suggested[step]}`);
  return words.join("; ") || "a setting that is not named here";
}
