import type { MonitoringView } from '../api/client'

/** Whether a part's tone goes to disk beside its DI, heard or not; by the settings, which are shown before their answer. */
export function isPrinted(view: MonitoringView | undefined): boolean {
  return view !== undefined && view.settings.print_sim && view.has_di
}
