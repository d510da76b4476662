import { Measured } from "./measured.tsx";
import { SettingsList } from "./settings_list.tsx";

export function MachinePlace() {
  return (
    <div className="machine-place">
      <Measured />
      <aside className="side" aria-label="Settings"><h2>Settings</h2><SettingsList /></aside>
    </div>
  );
}
