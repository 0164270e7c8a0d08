// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { useState } from "react";
import { expect, it } from "vitest";
import { show } from "../../testing/render";
import { Card } from "./Card";
import { WithBand } from "./band";

function Rail() {
  const [open, setOpen] = useState<string>();
  return (
    <main aria-label="all">
      <WithBand open={open} onOpen={setOpen}>
        <section aria-label="rail">
          <Card name="Clean" state="off">
            <button>inside Clean</button>
          </Card>
          <Card name="Finish" state="off">
            {(close) => <button onClick={close}>leave</button>}
          </Card>
        </section>
      </WithBand>
    </main>
  );
}

it("lies above the rail, and holds one card's controls at a time", async () => {
  const { user } = show(<Rail />);
  const rail = screen.getByRole("region", { name: "rail" });
  await user.click(screen.getByRole("button", { name: /^Clean/ }));
  const card = screen.getByRole("dialog", { name: "Clean" });
  expect(within(rail).queryByRole("dialog")).not.toBeInTheDocument();
  expect(card.compareDocumentPosition(rail)).toBe(Node.DOCUMENT_POSITION_FOLLOWING);
  await user.click(screen.getByRole("button", { name: /^Finish/ }));
  expect(screen.queryByRole("dialog", { name: "Clean" })).not.toBeInTheDocument();
  expect(screen.getByRole("dialog", { name: "Finish" })).toHaveFocus();
});

it("gives the focus back to the card, however it is closed", async () => {
  const { user } = show(<Rail />);
  const clean = screen.getByRole("button", { name: /^Clean/ });
  const finish = screen.getByRole("button", { name: /^Finish/ });
  await user.click(clean);
  expect(clean).toHaveAttribute("aria-expanded", "true");
  await user.keyboard("{Escape}");
  expect(clean).toHaveFocus();
  await user.click(clean);
  await user.click(screen.getByRole("button", { name: "Close Clean" }));
  expect(clean).toHaveFocus();
  await user.click(finish);
  await user.click(screen.getByRole("button", { name: "leave" }));
  expect(finish).toHaveFocus();
  await user.click(finish);
  await user.click(finish);
  expect(screen.queryByRole("dialog")).not.toBeInTheDocument();
});
