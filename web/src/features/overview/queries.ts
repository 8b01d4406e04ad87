import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "../../api/client";

export const overviewQuery = () => queryOptions({ queryKey: ["overview"], queryFn: ({ signal }) => ask(api.GET("/api/v1/overview", { signal })) });
export const eventsQuery = () => queryOptions({ queryKey: ["events"], queryFn: ({ signal }) => ask(api.GET("/api/v1/events", { params: { query: { limit: 20 } }, signal })) });

export const dutiesQuery = () => queryOptions({ queryKey: ["duties"], queryFn: ({ signal }) => ask(api.GET("/api/v1/duties", { signal })) });
