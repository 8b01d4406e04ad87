import { useQuery } from "@tanstack/react-query";
import { packagesQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { CompareNames } from "./CompareNames";
import { DriverReport } from "./DriverReport";
import { DriversOn } from "./DriversOn";
import { Names } from "./Names";
import { Packages } from "./Packages";
import { Places } from "./Places";

const sections = [
  ["", "Packages", "/drivers"],
  ["places", "Places", "/drivers?show=places"],
  ["names", "Exact names", "/drivers?show=names"],
  ["compare", "Compare two names", "/drivers?show=compare"],
  ["report", "What lacks a driver", "/drivers?show=report"],
  ["endpoints", "On endpoints", "/drivers?show=endpoints"],
] as const;

/** Driver packages, the exact names that they accept, and where one is missing. */
export function DriversPage() {
  const packages = useQuery(packagesQuery());
  const { get } = useUrl();
  const show = get("show");
  if (packages.isPending) return <Waiting what="the driver packages" />;
  if (!packages.data)
    return <Failure title="The driver packages cannot be shown" problem={packages.error} />;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-6">
        <h1>Drivers</h1>
        <Sections label="Parts of this page" current={show} of={sections} />
      </div>
      {show === "" && <Packages list={packages.data} />}
      {show === "places" && <Places />}
      {show === "names" && <Names packages={packages.data} />}
      {show === "compare" && <CompareNames />}
      {show === "endpoints" && <DriversOn />}
      {show === "report" && <DriverReport packages={packages.data} />}
    </>
  );
}
