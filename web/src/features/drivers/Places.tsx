import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type DriverPlace } from "../../api/client";
import { placeQuery, placesQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { AddPlace } from "./AddPlace";
import { PlaceOffers } from "./PlaceOffers";

/** Where driver packages are fetched from, with each archive that is offered there. */
export function Places() {
  const places = useQuery(placesQuery());
  const may = useMay("keep stock of servers, devices and drivers");
  const [editing, setEditing] = useState<DriverPlace | "new" | null>(null);
  if (places.isPending) return <Waiting what="the places" />;
  if (!places.data) return <Failure title="The places cannot be shown" problem={places.error} />;
  return (
    <div className="mt-3 max-w-[80rem]">
      {places.data.length === 0 && (
        <Empty title="Drivers are fetched from no place">
          A place is a folder of zip archives on a web server, with the list of their checksums,
          made with <code className="font-mono">sha256sum *.zip &gt; SHA256SUMS</code>. It is tried
          at once, looked at once a day, and nothing is fetched before you say so.
        </Empty>
      )}
      <ul>
        {places.data.map((p) => (
          <li key={p.name} className="border-b border-rule py-3">
            <Place of={p} may={may} onEdit={() => setEditing(p)} />
          </li>
        ))}
      </ul>
      {may && (
        <p className="mt-3">
          <Button onClick={() => setEditing("new")}>Add a place</Button>
        </p>
      )}
      <Drawer
        title={editing && editing !== "new" ? `Change ${editing.name}` : "Add a place"}
        description="A folder on a web server, or a spooler, that drivers are fetched from. It is tried at once."
        open={editing !== null}
        onOpenChange={() => setEditing(null)}
      >
        <AddPlace
          of={editing && editing !== "new" ? editing : undefined}
          onDone={() => setEditing(null)}
        />
      </Drawer>
    </div>
  );
}

type PlaceProps = { of: DriverPlace; may: boolean; onEdit: () => void };

function Place({ of: p, may, onEdit }: PlaceProps) {
  const client = useQueryClient();
  const now = useNow();
  const [find, setFind] = useState("");
  const whole = useQuery(placeQuery(p.name, find.trim()));
  const built = p.url.startsWith("ipp");
  const all = p.new + p.changed + p.kept;
  const changed = () => client.invalidateQueries({ queryKey: ["places"] });
  const path = { name: p.name };
  const look = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/drivers/places/{name}/looks", { params: { path }, body: undefined })),
    onSettled: changed,
  });
  const remove = useMutation({
    mutationFn: () => ask(api.DELETE("/api/v1/drivers/places/{name}", { params: { path } })),
    onSuccess: changed,
  });
  const error = remove.error ?? (p.look.error ? null : look.error);
  const v = whole.data;
  return (
    <article aria-label={p.name}>
      <h2>{p.name}</h2>
      <p className="text-ink-2">
        {p.url}
        {p.ca && ", with an authority of its own"}
        {built && ", what its spooler brings along"}
        {/^(http|ipp):/.test(p.url) && ", in the clear"}
        {p.note && `; ${p.note}`}
      </p>
      <p>
        {count(all, built ? "driver" : "archive")}: {p.new} new, {p.changed} changed, {p.kept} kept.
        Looked at {ago(p.look.at, now)}.
      </p>
      {p.look.error && (
        <p>
          <Mark of="failing">
            Fails, asked {ago(p.look.tried, now)}: {p.look.error.what}; {p.look.error.fix}
          </Mark>
        </p>
      )}
      {v?.place.look.problems?.map((d) => (
        <p key={d.place}>
          <Mark of="warning">
            {d.place}: {d.what}; {d.fix}
          </Mark>
        </p>
      ))}
      {all > 20 && (
        <label className="mt-2 flex items-center gap-2">
          Find
          <input
            type="search"
            className={`${inputLook} w-64`}
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
          {v && (
            <span className="text-ink-2" role="status">
              {v.offers.length} of {v.total} shown
            </span>
          )}
        </label>
      )}
      {v && v.offers.length > 0 && <PlaceOffers of={v} may={may} />}
      {p.look.others > 0 && (
        <p className="text-ink-2">
          {p.look.others === 1
            ? "1 other file is listed there, and is no zip archive."
            : `${p.look.others} other files are listed there, and are no zip archives.`}
        </p>
      )}
      {error && <ProblemNotice title="It was not done" error={error} />}
      {may && (
        <div className="mt-2 flex flex-wrap gap-2">
          <Button disabled={look.isPending} onClick={() => look.mutate()}>
            {look.isPending ? "Looking…" : "Look again"}
          </Button>
          <Button onClick={onEdit}>Change it</Button>
          <Button disabled={remove.isPending} onClick={() => remove.mutate()}>
            Forget it
          </Button>
        </div>
      )}
    </article>
  );
}
