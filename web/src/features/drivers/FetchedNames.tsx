import { useQuery } from "@tanstack/react-query";
import { fetchQuery } from "../../api/stock";
import { Drawer } from "../../ui/Drawer";
import { Failure, Waiting } from "../../ui/Notice";
import { Models } from "./Models";

type FetchedNamesProps = { place: string; id: number; onClose: () => void };

/** What was found in an archive of a place. */
export function FetchedNames({ place, id, onClose }: FetchedNamesProps) {
  const fetched = useQuery(fetchQuery(place, id));
  const p = fetched.data?.package;
  return (
    <Drawer
      title={fetched.data?.file ?? "Archive"}
      description={`The exact names that an archive of ${place} accepts`}
      open
      onOpenChange={onClose}
    >
      {fetched.isPending && <Waiting what="the archive" />}
      {fetched.error && <Failure title="It cannot be shown" problem={fetched.error} />}
      {p && <Models of={p} />}
    </Drawer>
  );
}
