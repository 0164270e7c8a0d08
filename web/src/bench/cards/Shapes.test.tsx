// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { anOriginal, show } from "../../testing/render";
import { Refused, answer } from "../../testing/server";
import { Shapes, type Traced } from "./Shapes";

const WHITE = { found: "#ffffff", printed: "#ffffff" };
const BLUE = { found: "#143c8c", printed: "#143c8c" };

function shown(choice: Traced = { by: "traced" }, inks = [WHITE, BLUE]) {
  answer("GET", "/originals/*/trace", () => ({ outlines: 3, nodes: 17, bytes: 2100, inks }));
  const onChange = vi.fn();
  const original = anOriginal({ name: "emblem.png" });
  return { onChange, ...show(<Shapes original={original} asked="aa11" choice={choice} onChange={onChange} />) };
}

describe("a picture as shapes", () => {
  it("says what it is drawn in, and is saved", async () => {
    shown();
    expect(await screen.findByText(/^3 outlines, 17 nodes/)).toBeVisible();
    const colours = within(screen.getByRole("list", { name: "Colours" })).getAllByRole("button");
    expect(colours.map((colour) => colour.getAttribute("aria-label"))).toEqual(["#ffffff", "#143c8c"]);
    for (const ending of ["svg", "pdf"]) {
      const link = screen.getByRole("link", { name: `Save emblem.${ending}` });
      expect(link).toHaveAttribute("href", expect.stringMatching(new RegExp(`/originals/\\d+/trace\\.${ending}$`)));
      expect(link).toHaveAttribute("download", `emblem.${ending}`);
    }
  });

  it("prints a colour as another, with a name", async () => {
    const { user, onChange } = shown();
    await user.click(await screen.findByRole("button", { name: "#143c8c" }));
    const field = screen.getByRole("textbox", { name: "As #rrggbb" });
    await user.clear(field);
    await user.type(field, "#102A5");
    expect(screen.getByRole("button", { name: "Print so" })).toBeDisabled();
    await user.type(field, "0");
    await user.type(screen.getByRole("textbox", { name: "Name of the spot colour" }), "Kiln blue");
    await user.click(screen.getByRole("button", { name: "Print so" }));
    const ink = { found: "#143c8c", printed: "#102a50", name: "Kiln blue" };
    expect(onChange).toHaveBeenCalledExactlyOnceWith({ by: "traced", inks: [ink] });
  });

  it("merges two colours, and gives one back", async () => {
    const inks = [{ found: "#ffffff", printed: "#eeeeee", name: "" }];
    const { user, onChange } = shown({ by: "traced", inks }, [inks[0]!, BLUE]);
    await user.click(await screen.findByRole("button", { name: "#ffffff printed as #eeeeee" }));
    await user.click(screen.getByRole("button", { name: "The same as #143c8c" }));
    await user.click(screen.getByRole("button", { name: "Print so" }));
    expect(onChange).toHaveBeenLastCalledWith({
      by: "traced",
      inks: [{ found: "#ffffff", printed: "#143c8c", name: "" }],
    });
    await waitFor(() => expect(screen.queryByRole("button", { name: "Print so" })).not.toBeInTheDocument());
    await user.click(screen.getByRole("button", { name: "#ffffff printed as #eeeeee" }));
    await user.click(screen.getByRole("button", { name: "As found" }));
    expect(onChange).toHaveBeenLastCalledWith({ by: "traced", inks: [] });
  });

  it("is traced in fewer colours where the slider rests, and on clear ground", async () => {
    const { user, onChange } = shown();
    const slider = await screen.findByRole("slider", { name: "Colours at most" });
    fireEvent.change(slider, { target: { value: 9 } });
    fireEvent.change(slider, { target: { value: 4 } });
    await waitFor(() => expect(onChange).toHaveBeenCalledExactlyOnceWith({ by: "traced", colours: 4 }));
    await user.click(screen.getByRole("switch", { name: "Clear ground" }));
    expect(onChange).toHaveBeenLastCalledWith({ by: "traced", clear: true });
  });

  it("is refused with the reason", async () => {
    answer("GET", "/originals/*/trace", () => new Refused(422, "this is no drawing", "trace.not-drawn"));
    show(<Shapes original={anOriginal()} asked="aa11" choice={{ by: "traced" }} onChange={vi.fn()} />);
    expect(await screen.findByText("this is no drawing")).toBeVisible();
    expect(screen.queryByRole("link")).not.toBeInTheDocument();
  });
});
