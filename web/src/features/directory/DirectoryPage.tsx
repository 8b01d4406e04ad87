import { useUrl } from "../../lib/useUrl";
import { Sections } from "../../ui/Sections";
import { FindPeople } from "./FindPeople";
import { Links } from "./Links";
import { Printers } from "./Printers";
import { Renames } from "./Renames";
import { Runs } from "./Runs";
import { Sources } from "./Sources";

/** People, groups, units and machines, and where they come from. */
export function DirectoryPage() {
  const { get } = useUrl();
  const show = get("show") || "find";
  return (
    <>
      <h1>Directory</h1>
      <Sections
        label="Parts of the directory"
        current={show}
        of={[
          ["find", "People, groups and machines", "/directory"],
          ["names", "One person", "/directory?show=names"],
          ["sources", "Sources", "/directory?show=sources"],
          ["passes", "Latest passes", "/directory?show=passes"],
          ["printers", "Printers", "/directory?show=printers"],
        ]}
      />
      <Renames />
      {show === "names" ? (
        <Links />
      ) : show === "sources" ? (
        <Sources />
      ) : show === "printers" ? (
        <Printers />
      ) : show === "passes" ? (
        <Runs />
      ) : (
        <FindPeople />
      )}
    </>
  );
}
