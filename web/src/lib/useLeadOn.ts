import { useLocation, useNavigate } from "react-router";

/** Leads on from this page, to an address or back; whoever has gone elsewhere meanwhile is left there. */
export function useLeadOn(): (to: string | -1) => void {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  return (to) => {
    if (window.location.pathname !== pathname) return;
    if (to === -1) void navigate(to);
    else void navigate(to);
  };
}
