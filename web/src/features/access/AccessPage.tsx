import { useMay } from "../../parts/useMay";
import { useUrl } from "../../lib/useUrl";
import { Sections } from "../../ui/Sections";
import { Accounts } from "./Accounts";
import { Keys } from "./Keys";

/** Who may do what: accounts and roles, sessions and tokens. */
export function AccessPage() {
  const { get } = useUrl();
  const sees = useMay("see accounts, sessions and tokens");
  const mayChange = useMay("manage accounts and their roles");
  const show = sees ? get("show") || "accounts" : "keys";
  return (
    <>
      <h1>Access</h1>
      <Sections
        label="Parts of access"
        current={show}
        of={[
          ...(sees ? [["accounts", "Accounts and roles", "/access"] as const] : []),
          ["keys", "Sessions and tokens", "/access?show=keys"],
        ]}
      />
      {show === "accounts" ? <Accounts mayChange={mayChange} /> : <Keys />}
    </>
  );
}
