import { createHotkey, type RegisterableHotkey } from '@tanstack/svelte-hotkeys';
import { untrack } from 'svelte';

/** A key and what it does here and now. */
export interface KeyTold {
  key: string;
  does: string;
}

class KeyMap {
  bound = $state.raw<KeyTold[]>([]);

  add(told: KeyTold) {
    this.bound = [...this.bound, told];
    return () => {
      this.bound = this.bound.filter((one) => one !== told);
    };
  }
}

/** What is bound by all that is on the screen; told by the sheet of keys. */
export const keyMap = new KeyMap();

type Act = (event: KeyboardEvent) => void;
const LENIENT = {
  conflictBehavior: 'allow',
  preventDefault: false,
  stopPropagation: false,
} as const;

const always = () => true;

function bind(
  keys: RegisterableHotkey[],
  told: KeyTold,
  act: Act,
  { ignoreInputs, may = always }: { ignoreInputs: boolean; may?: () => boolean },
) {
  for (const key of keys) createHotkey(key, act, { ...LENIENT, ignoreInputs });
  $effect(() => (may() ? untrack(() => keyMap.add(told)) : undefined));
}

/**
 * Bind a sign for as long as a component lives, wherever a keyboard has it; not while typing.
 * Who may not do it is not told of it.
 */
export function onSign(sign: string, does: string, act: () => void, may = always) {
  const heed = (event: KeyboardEvent) => {
    if (event.key !== sign || event.defaultPrevented || !may()) return; // the same key of another keyboard
    event.preventDefault();
    act();
  };
  bind([{ key: sign }, { key: sign, shift: true }], { key: sign, does }, heed, {
    ignoreInputs: true,
    may,
  });
}

/** Bind a key or a chord, also while typing; what it does to the browser is for `act` to say. */
export function onChord(key: RegisterableHotkey, shown: string, does: string, act: Act) {
  bind([key], { key: shown, does }, act, { ignoreInputs: false });
}
