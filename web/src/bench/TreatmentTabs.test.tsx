// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Steps, Intent } from "../api/client";
import { anIntent, anOriginal, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { TreatmentTabs } from "./TreatmentTabs";

const steps = {
  clean: { noise: null, marks: null, softness: null },
  enlarge: { by: "learned", subject: "everyday", grade: "draft", strength: 0.8 },
  faces: { strength: 0.6 },
  finish: { edges: null, grain: null },
} as unknown as Steps;
const HOUSE = { id: 5, name: "Sala grande", steps: { ...steps, faces: null } };

beforeEach(() => {
  localStorage.clear();
  answer("GET", "/house-treatments", () => [HOUSE]);
  // A picture's own measurements, whatever it is given.
  answer("POST", "/originals/*/adapt", (body) => ({ ...(body as Steps), clean: { noise: "its own" } }));
});

function opened(start: Partial<Intent> = {}, name = "furnace-hall.jpg") {
  const said = vi.fn<(text: string) => void>();
  const now: { intent: Intent } = { intent: anIntent() };
  function Room() {
    const [intent, setIntent] = useState(anIntent({ ...steps, letter: "A", alternatives: [], ...start }));
    now.intent = intent;
    const change = (part: Partial<Intent>) => setIntent({ ...intent, ...part });
    return (
      <TreatmentTabs
        original={anOriginal({ name })}
        intent={intent}
        scope="whole"
        change={change}
        changeSteps={change}
        onSay={said}
        onAreas={vi.fn()}
      />
    );
  }
  return { ...show(<Room />), said, now };
}

async function choose(user: ReturnType<typeof opened>["user"], item: string | RegExp) {
  await user.click(screen.getByRole("button", { name: "This treatment" }));
  await user.click(await screen.findByRole("menuitem", { name: item }));
}

describe("treatments by their letters", () => {
  it("are added as copies, turned to, and removed", async () => {
    const { user, now } = opened();
    await user.click(screen.getByRole("button", { name: "Another treatment" }));
    expect(now.intent.letter).toBe("B");
    expect(screen.getByRole("button", { name: "Treatment B" })).toHaveAttribute("aria-pressed", "true");
    await user.click(screen.getByRole("button", { name: "Treatment A" }));
    expect(now.intent).toMatchObject({ letter: "A", alternatives: [{ letter: "B" }] });
    await choose(user, "Remove treatment A");
    await waitFor(() => expect(now.intent).toMatchObject({ letter: "B", alternatives: [] }));
  });

  it("end at the sixth, and the only one stays", async () => {
    const { user } = opened();
    const more = screen.getByRole("button", { name: "Another treatment" });
    for (let i = 0; i < 5; i++) await user.click(more);
    expect(more).toBeDisabled();
    expect(screen.getAllByRole("button", { name: /^Treatment [A-F]$/ })).toHaveLength(6);
  });
});

describe("copied steps", () => {
  it("are pasted on another picture with that picture's own measurements, faces too", async () => {
    const first = opened();
    await choose(first.user, "Copy all steps");
    await waitFor(() => expect(first.said).toHaveBeenCalledWith(expect.stringMatching(/^All steps copied/)));
    first.unmount();
    const second = opened({ ...steps, enlarge: { by: "plain", kernel: "bicubic" }, faces: null } as never, "rope.jpg");
    await choose(second.user, "Paste from furnace-hall.jpg");
    await waitFor(() => expect(second.said).toHaveBeenCalledWith("Pasted from furnace-hall.jpg, with this picture's own measurements")); // prettier-ignore
    expect(second.now.intent).toMatchObject({
      enlarge: steps.enlarge,
      faces: steps.faces,
      clean: { noise: "its own" },
    });
  });

  it("may be one step alone", async () => {
    const { user, said, now } = opened();
    await choose(user, "Copy Enlarge only");
    await waitFor(() => expect(said).toHaveBeenCalledWith(expect.stringMatching(/^Enlarge copied/)));
    await choose(user, /^Paste from/);
    await waitFor(() => expect(said).toHaveBeenCalledTimes(2));
    expect(now.intent.clean).toEqual(steps.clean);
  });
});

describe("house treatments", () => {
  it("are taken by their name", async () => {
    const { user, said, now } = opened();
    await choose(user, /Sala grande/);
    await waitFor(() => expect(said).toHaveBeenCalledWith("Sala grande, with this picture's own measurements"));
    expect(now.intent.faces).toBeNull();
  });

  it("are forgotten without being taken", async () => {
    answer("DELETE", "/house-treatments/5", () => null);
    const { user, said } = opened();
    await user.click(screen.getByRole("button", { name: "This treatment" }));
    await user.click(await screen.findByRole("button", { name: "Forget Sala grande" }));
    await waitFor(() => expect(asked().map(({ what }) => what)).toEqual(["DELETE /house-treatments/5"]));
    expect(said).not.toHaveBeenCalled();
  });

  it("are kept under a name, and one of that name is replaced", async () => {
    answer("POST", "/house-treatments", () => ({ id: 6 }));
    const { user, said } = opened();
    await choose(user, "Keep these steps under a name…");
    const name = await screen.findByRole("textbox", { name: "Name" });
    expect(screen.getByRole("button", { name: "Keep" })).toBeDisabled();
    await user.type(name, "Sala grande");
    expect(screen.getByText("One of this name is replaced")).toBeVisible();
    await user.keyboard("{Enter}");
    await waitFor(() => expect(said).toHaveBeenCalledWith("Sala grande is kept as a house treatment"));
    expect(asked()[0]).toMatchObject({ what: "POST /house-treatments", body: { name: "Sala grande", steps: { faces: steps.faces } } }); // prettier-ignore
  });

  it("are not kept where the server refuses, and what was typed stays", async () => {
    answer("POST", "/house-treatments", () => new Refused(422, "A name has at most 60 characters."));
    const { user } = opened();
    await choose(user, "Keep these steps under a name…");
    await user.type(await screen.findByRole("textbox", { name: "Name" }), "Sala{Enter}");
    expect(await screen.findByText("A name has at most 60 characters.")).toBeVisible();
    expect(screen.getByRole("textbox", { name: "Name" })).toHaveValue("Sala");
  });
});

it("steps go to all pictures of the order", async () => {
  answer("POST", "/orders/3/apply", () => [{ id: 7 }]);
  const { user, said } = opened();
  await choose(user, "Use for all pictures in the order");
  await waitFor(() => expect(said).toHaveBeenCalledWith("1 picture has these steps now"));
  expect(asked()[0]).toMatchObject({ what: "POST /orders/3/apply", body: { to: "all" } });
});
