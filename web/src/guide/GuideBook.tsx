/** The guide, as it stands in docs/guide: pages in the order of the work. */

import { Box, Button, List, ListItemButton, ListItemText, Stack, Typography } from "@mui/material";
import { useState } from "react";
import Markdown from "react-markdown";
import { WholeScreen } from "../app/WholeScreen";

const FILES = import.meta.glob<string>("../../../docs/guide/[0-9]-*.md", {
  query: "?raw",
  import: "default",
  eager: true,
});
const PICTURES = import.meta.glob<string>("../../../docs/screenshots/*.png", {
  query: "?url",
  import: "default",
  eager: true,
});

const nameOf = (path: string) => path.split("/").at(-1) ?? path;

interface Page {
  file: string;
  title: string;
  text: string;
}

export const PAGES: Page[] = Object.entries(FILES)
  .map(([path, text]) => ({ file: nameOf(path), title: /^# (.+)$/m.exec(text)?.[1] ?? path, text }))
  .sort((a, b) => a.file.localeCompare(b.file));

const pictures = new Map(Object.entries(PICTURES).map(([path, address]) => [nameOf(path), address]));

export function GuideBook({ onClose }: { onClose: () => void }) {
  const [file, setFile] = useState(PAGES[0]?.file);
  const page = PAGES.find((p) => p.file === file);
  return (
    <WholeScreen label="Guide" onClose={onClose}>
      <Stack direction="row" sx={{ px: 2.5, py: 1.25, alignItems: "center", borderBottom: 1, borderColor: "divider" }}>
        <Typography variant="h1" component="h2" sx={{ flex: 1 }}>
          Guide
        </Typography>
        <Button onClick={onClose}>Close</Button>
      </Stack>
      <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
        <List
          component="nav"
          aria-label="Pages"
          sx={{ width: 260, flexShrink: 0, borderRight: 1, borderColor: "divider", overflowY: "auto" }}
        >
          {PAGES.map((p) => (
            <ListItemButton
              key={p.file}
              selected={p.file === file}
              aria-current={p.file === file ? "page" : undefined}
              onClick={() => setFile(p.file)}
            >
              <ListItemText primary={p.title} />
            </ListItemButton>
          ))}
        </List>
        <Box
          key={file}
          component="article"
          tabIndex={0}
          aria-label={page?.title}
          sx={{
            flex: 1,
            overflowY: "auto",
            px: 4,
            py: 2,
            "& > *": { maxWidth: 860 },
            "& h1": { typography: "h1" },
            "& h2": { typography: "h2" },
            "& img": { width: "100%", border: 1, borderColor: "divider" },
            "& pre": { overflowX: "auto", p: 1.5, bgcolor: "background.paper", border: 1, borderColor: "divider" },
          }}
        >
          <Markdown
            components={{
              img: ({ src, alt }) => <img src={pictures.get(nameOf(String(src)))} alt={alt ?? ""} loading="lazy" />,
              a: ({ href = "", children }) => {
                const to = PAGES.find((p) => p.file === nameOf(href));
                // What lies in the repository and not in the guide is not here.
                if (!to) return <>{children}</>;
                return <Button onClick={() => setFile(to.file)}>{children}</Button>;
              },
            }}
          >
            {page?.text}
          </Markdown>
        </Box>
      </Box>
    </WholeScreen>
  );
}
