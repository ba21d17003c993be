import { browser } from '$app/environment';
import { formatBytes, type UnitSystem } from './bytes';

export type Theme = 'day' | 'night' | 'system';
const UNITS_KEY = 'keelmark.units';
const THEME_KEY = 'keelmark.theme';

/** What this person chose on this machine: the unit of bytes and the theme. */
class Preferences {
  system = $state<UnitSystem>(read(UNITS_KEY) === 'si' ? 'si' : 'iec');
  theme = $state<Theme>(asTheme(read(THEME_KEY)));

  setSystem(system: UnitSystem) {
    this.system = system;
    localStorage.setItem(UNITS_KEY, system);
  }

  setTheme(theme: Theme) {
    this.theme = theme;
    localStorage.setItem(THEME_KEY, theme);
  }

  /** Bytes in the chosen unit. */
  bytes(amount: number | null | undefined, isSigned = false): string {
    return formatBytes(amount, { system: this.system, isSigned });
  }
}

function read(key: string): string | null {
  return browser ? localStorage.getItem(key) : null;
}

function asTheme(told: string | null): Theme {
  return told === 'day' || told === 'night' ? told : 'system';
}

export const preferences = new Preferences();
