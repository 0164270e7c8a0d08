/** What is done with a whole order: delivered, reported, printed, shared, put away. */

import { Divider, Menu, MenuItem } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type OrderContents, answered, api } from "../api/client";

export function OrderMenu(props: {
  contents: OrderContents;
  anchor: HTMLElement | undefined;
  onClose: () => void;
  onShare: () => void;
  onArchive: () => void;
  onRemove: () => void;
  onError: (error: Error) => void;
}) {
  const { order, enlargements } = props.contents;
  const client = useQueryClient();
  const going = enlargements.filter((e) => e.verdict === "accepted");
  const devices = useQuery({ queryKey: ["devices"], queryFn: () => answered(api.GET("/api/v1/devices")) });
  const print = useMutation({
    mutationFn: async (results: number[]) => {
      for (const id of results) {
        await answered(api.POST("/api/v1/enlargements/{id}/print", { params: { path: { id } } }));
      }
    },
    onError: props.onError,
    onSettled: () => client.invalidateQueries({ queryKey: ["printings", order.id] }),
  });
  return (
    <Menu anchorEl={props.anchor} open={props.anchor !== undefined} onClose={props.onClose} onClick={props.onClose}>
      <MenuItem component="a" href={`/api/v1/orders/${order.id}/delivery.zip`} disabled={going.length === 0}>
        Deliver as zip, with report ({going.length} accepted)
      </MenuItem>
      <MenuItem
        component="a"
        href={`/api/v1/orders/${order.id}/report.pdf?which=all`}
        disabled={enlargements.length === 0}
      >
        Report as PDF
      </MenuItem>
      <MenuItem
        component="a"
        href={`/api/v1/orders/${order.id}/report.html?which=all`}
        target="_blank"
        disabled={enlargements.length === 0}
      >
        Report as a page
      </MenuItem>
      {devices.data?.printer && (
        <MenuItem disabled={going.length === 0 || print.isPending} onClick={() => print.mutate(going.map((e) => e.id))}>
          Send {going.length} accepted to the printer
        </MenuItem>
      )}
      <MenuItem disabled={enlargements.length === 0} onClick={props.onShare}>
        A link for the client
      </MenuItem>
      <Divider />
      <MenuItem onClick={props.onArchive}>{order.archived_at ? "Back into work" : "Into the archive"}</MenuItem>
      <MenuItem onClick={props.onRemove}>Remove this order</MenuItem>
    </Menu>
  );
}
