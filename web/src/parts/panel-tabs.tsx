import clsx from 'clsx';
import { Tabs } from 'radix-ui';

/** A row of tabs, inside a `Tabs.Root`. */
export function PanelTabs({
  label,
  panels,
  className,
}: {
  label: string;
  /** Tab labels by value. */
  panels: Readonly<Record<string, string>>;
  className?: string;
}) {
  return (
    <Tabs.List aria-label={label} className={clsx('flex min-w-0 overflow-x-auto', className)}>
      {Object.entries(panels).map(([value, name]) => (
        <Tabs.Trigger
          key={value}
          value={value}
          className="border-b-2 border-transparent px-4 py-2 text-sm whitespace-nowrap text-soft data-[state=active]:border-ink data-[state=active]:text-ink max-sm:px-2"
        >
          {name}
        </Tabs.Trigger>
      ))}
    </Tabs.List>
  );
}
