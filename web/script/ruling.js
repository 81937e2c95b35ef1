// rulesOf gives how many ruled lines a place has that is written from rule to
// rule: y is its first baseline, d the way to the next one.
export const rulesOf = (b) => Math.max(1, Math.floor((b.r[3] - b.y) / b.d + 0.01) + 1);
