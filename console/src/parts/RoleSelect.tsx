// The roles as the service has them, the site's own included: one list everywhere.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { inputLook } from "./basics";

export function useRoles(also: readonly string[] = []): string[] {
  const rules = useQuery({ queryKey: ["plan", "roles"], queryFn: () => api.all("/api/v1/roles") });
  return [...new Set([...(rules.data ?? []).map((rule) => rule.name), ...also])].filter(Boolean);
}

interface Props {
  value: string;
  onChange(role: string): void;
  none?: string;
  label?: string;
  wide?: boolean;
}

export function RoleSelect({ value, onChange, none = "not said", label, wide = true }: Props) {
  const roles = useRoles([value]);
  return (
    <select
      aria-label={label}
      className={`${inputLook} ${wide ? "w-full" : ""}`}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    >
      <option value="">{none}</option>
      {roles.map((role) => (
        <option key={role}>{role}</option>
      ))}
    </select>
  );
}
