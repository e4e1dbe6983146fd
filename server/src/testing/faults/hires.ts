/** A hire of the demo as it is typed in, of a player and an instrument by their numbers. */
export const hireOf = (note: string, player = 1, instrument = 1) => ({
  op: 'insert',
  table: 't_hire',
  temp: 'hire',
  values: {
    f_hirePlayer: player,
    f_hireInstrument: instrument,
    f_hireHiredOn: '2025-01-01',
    f_hireDueBack: '2025-03-01',
    f_hireReturnedOn: '2025-02-01',
    f_hireMonthlyFee: '10.00',
    f_hireNote: note,
  },
});

/** A payment for the hire that is saved along with it. */
export const paymentOf = (amount: string) => ({
  op: 'insert',
  table: 't_payment',
  values: {
    f_paymentHire: { temp: 'hire' },
    f_paymentPaidOn: '2025-02-01',
    f_paymentMethod: 'Card',
    f_paymentAmount: amount,
  },
});
