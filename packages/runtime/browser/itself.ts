/**
 * A form as an element and nothing else: a control that is called like something a form has, as `action`, `matches` or `dataset`, stands in its place
 * (HTML, 4.10.3: `[LegacyOverrideBuiltIns]`), and columns are called as they are. What belongs to a form is asked of this, in all scripts of the pages.
 */
export const itself = (form: HTMLFormElement): HTMLFormElement =>
  new Proxy(form, {
    get(target, name) {
      const value: unknown = Reflect.get(HTMLFormElement.prototype, name, target);
      return typeof value === "function" ? value.bind(target) : value;
    },
    set: (target, name, value) => Reflect.set(HTMLFormElement.prototype, name, value, target),
  });
