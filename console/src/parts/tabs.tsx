// Parts of one page, each with an address of its own: links, so that they can be kept.
import { Link } from "./link";

export function Tabs({
  label,
  current,
  tabs,
  follow,
}: {
  label: string;
  current: string;
  tabs: readonly { readonly to: string; readonly name: string; readonly id: string }[];
  follow: (to: string) => void;
}) {
  return (
    <nav class="tabs" aria-label={label}>
      <ul>
        {tabs.map((one) => (
          <li key={one.id}>
            <Link to={one.to} follow={follow} current={one.id === current}>
              {one.name}
            </Link>
          </li>
        ))}
      </ul>
    </nav>
  );
}
