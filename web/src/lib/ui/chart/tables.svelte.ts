/** Whether charts are shown as the tables behind them: one choice for all of a screen. */
class ChartTables {
  isOn = $state(false);

  turn() {
    this.isOn = !this.isOn;
  }
}

export const chartTables = new ChartTables();
