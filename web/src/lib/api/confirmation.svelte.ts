/** Whoever asks for what bears on who may come in gives the password again, once in ten minutes. */
class Confirmation {
  isAsked = $state(false);
  private waiting: ((isGiven: boolean) => void)[] = [];

  /** Ask for the password; true once the server has taken it. */
  ask(): Promise<boolean> {
    this.isAsked = true;
    return new Promise((resolve) => this.waiting.push(resolve));
  }

  answer(isGiven: boolean) {
    this.isAsked = false;
    for (const resolve of this.waiting.splice(0)) resolve(isGiven);
  }
}

export const confirmation = new Confirmation();
