import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { FoundOne } from "../api/client";
import { findQuery } from "../api/drafts";
import { Picker } from "../ui/Picker";

/** Where a thing is seen: at its own page, or where it is spoken of. */
function pageOf(kind: string, name: string): string {
  const n = encodeURIComponent(name);
  switch (kind) {
    case "user":
      return `/people/${n}`;
    case "machine":
    case "station":
      return `/lineup?machine=${n}`;
    case "queue":
      return `/queues?queue=${n}`;
    case "grant":
      return `/grants?grant=${n}`;
    case "group":
    case "unit":
      return `/grants?find=${encodeURIComponent(`${kind}:${name}`)}`;
    case "server":
      return `/servers?server=${n}`;
    case "device":
      return `/devices?device=${n}`;
    case "driver":
      return `/drivers?show=names&find=${n}`;
    case "location":
      return `/estate?list=locations&open=${n}`;
    case "subnet":
      return `/estate?list=subnets&open=${n}`;
    case "server set":
      return `/estate?list=server_sets&open=${n}`;
    case "found queue":
      return `/servers?show=queues&find=${n}`;
    case "found device":
      return `/devices?show=found&find=${n}`;
    default:
      return `/queues?find=${n}`;
  }
}

const kinds: FoundOne["kind"][] = [];

/** One place from which everything that has a name is found, and opened. */
export function FindAnything() {
  const [word, setWord] = useState("");
  const found = useQuery({ ...findQuery(kinds, word), enabled: word.trim() !== "" });
  const list = word.trim() === "" ? [] : (found.data?.items ?? []);
  const navigate = useNavigate();
  return (
    <Picker
      label="person, place, queue, grant or anything else"
      word="Find"
      hint="Part of a name, an address, a note…"
      onSearch={setWord}
      options={list.map((f) => ({
        value: `${f.kind}\n${f.name}`,
        label: f.says ? `${f.name} (${f.says})` : f.name,
        detail: [f.kind, f.detail].filter(Boolean).join(", "),
      }))}
      more={word.trim() === "" ? 0 : Math.max(0, (found.data?.total ?? 0) - list.length)}
      onPick={(v) => {
        const [kind = "", name = ""] = v.split("\n");
        void navigate(pageOf(kind, name));
      }}
    />
  );
}
