/** What the rows of the study in view are called: customers, unless its table names something else
 * (districts, say). Set once by the frame, as a language is, before anything below it is drawn. */
class Unit {
  one = "customer";
  many = "customers";

  get One() {
    return this.one.charAt(0).toUpperCase() + this.one.slice(1);
  }

  get Many() {
    return this.many.charAt(0).toUpperCase() + this.many.slice(1);
  }
}

export const unit = new Unit();

/** Call the rows of the study in view by their name. */
export function callRows(one: string, many: string): void {
  unit.one = one;
  unit.many = many;
}
