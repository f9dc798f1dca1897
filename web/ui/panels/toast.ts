// One line at the foot of the page when something cannot be done, with what would work.
import Alpine from "@alpinejs/csp";
import { type Offer, Problem } from "../model/api.ts";
import { capital } from "../model/words.ts";

interface Shown extends Offer {
  label: string;
}
interface Toast {
  shown: boolean;
  message: string;
  offers: Shown[];
  hasOffers: boolean;
  hide(): void;
  take(o: Shown): void;
}

let toast: Toast | undefined;
let taken: (o: Offer) => void = () => {};
let timer = 0;
let refused = false; // what is said is that something could not be done

export function registerToast(): void {
  Alpine.data("toast", () => ({
    shown: false,
    message: "",
    offers: [] as Shown[],
    hasOffers: false,
    init() {
      toast = this as unknown as Toast;
    },
    hide() {
      this.shown = false;
    },
    take(o: Shown) {
      this.shown = false;
      taken(o);
    },
  }));
}

/** Something was done: what was said before of what could not be is over. */
export function settled(): void {
  if (toast?.shown && refused) toast.hide();
}

/** Says why something was not done. */
export function say(e: unknown, take: (o: Offer) => void = () => {}): void {
  if (!toast) return;
  const p = e instanceof Problem ? e : undefined;
  refused = e instanceof Error;
  toast.message = e instanceof Error ? e.message : String(e);
  toast.offers = (p?.alternatives ?? []).map((o) => ({ ...o, label: capital(o.words) }));
  toast.hasOffers = toast.offers.length > 0;
  toast.shown = true;
  taken = take;
  clearTimeout(timer);
  timer = window.setTimeout(() => toast!.hide(), toast.hasOffers ? 20000 : 8000);
}
