import { useQuery } from "@tanstack/react-query";
import type { Role } from "../../api/client";
import { Select } from "../../ui/Select";
import { sitesQuery } from "../../api/access";

export type Holding = { role: Role; sites: string[] };

/** What each role does, in the order of how much. */
export const roles: { value: Role; label: string; says: string }[] = [
  { value: "owner", label: "owner", says: "everything, and who may do what" },
  {
    value: "administrator",
    label: "administrator",
    says: "everything but accounts, and erasing people's data",
  },
  {
    value: "site-administrator",
    label: "site administrator",
    says: "edits what lies at its sites; reads all",
  },
  {
    value: "help-desk",
    label: "help desk",
    says: "reads, explains, has endpoints report, sends test pages",
  },
  { value: "auditor", label: "auditor", says: "reads all, the audit too" },
  { value: "person", label: "person", says: "their own lineup" },
];

export const roleWord = (role?: string) => roles.find((r) => r.value === role)?.label ?? role ?? "";

export const where = (sites?: string[], role?: string) =>
  role === "person" ? "nowhere else" : sites && sites.length > 0 ? sites.join(", ") : "all sites";

/** A role with the sites at which it may do things; what it reads is not narrowed. */
export function HoldingFields({
  value,
  onChange,
}: {
  value: Holding;
  onChange: (h: Holding) => void;
}) {
  const sites = useQuery(sitesQuery());
  const scoped = value.role !== "owner" && value.role !== "person";
  return (
    <>
      <Select
        label="Role"
        value={value.role}
        options={roles}
        all=""
        onChange={(r) =>
          onChange({
            role: roles.find((o) => o.value === r)?.value ?? value.role,
            sites: r === "owner" || r === "person" ? [] : value.sites,
          })
        }
      />
      <p className="text-ink-2">{roles.find((r) => r.value === value.role)?.says}.</p>
      {scoped && (sites.data?.length ?? 0) > 0 && (
        <fieldset>
          <legend className="font-medium">Sites</legend>
          <p className="text-ink-2">
            {value.role === "site-administrator"
              ? "Where what it changes must lie; at least one."
              : "Where what it does must lie; none chosen means all."}
          </p>
          <div className="mt-1 grid grid-cols-2 gap-x-4">
            {sites.data?.map((s) => (
              <label key={s.path} className="flex min-h-[24px] items-center gap-2">
                <input
                  type="checkbox"
                  className="size-[24px] accent-accent"
                  checked={value.sites.includes(s.path)}
                  onChange={(e) =>
                    onChange({
                      ...value,
                      sites: e.target.checked
                        ? [...value.sites, s.path]
                        : value.sites.filter((x) => x !== s.path),
                    })
                  }
                />
                {s.title || s.path}
              </label>
            ))}
          </div>
        </fieldset>
      )}
    </>
  );
}
