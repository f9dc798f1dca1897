// The page of people: who is in which production, and what each may do.
import Alpine from "@alpinejs/csp";
import { pageData, post } from "../model/api.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { Member, Production } from "../wire/people.ts";
import type { PeoplePage } from "../wire/web.ts";

interface MemberRow extends Member {
  you: string;
  label: string;
  may: string;
  roles: { role: string; words: string; selected: boolean }[];
}
interface Row extends Omit<Production, "people"> {
  you: string;
  owned: boolean;
  watched: boolean;
  people: MemberRow[];
}
interface Page {
  $refs: Record<string, HTMLDialogElement>;
  problem: string;
}

const data: PeoplePage = document.getElementById("data")
  ? pageData<PeoplePage>()
  : { productions: [], account: "", roles: [], password: false };

function row(p: Production): Row {
  const owned = p.role === "owner";
  const people = p.people.map((m) => ({
    ...m,
    you: m.account === data.account ? "you" : "",
    label: `What ${m.shown} may do in ${p.name}`,
    may: m.role,
    roles: data.roles.map((role) => ({ role, words: role, selected: role === m.role })),
  }));
  return { ...p, people, you: `you are ${p.role === "listener" ? "a" : "an"} ${p.role}`, owned, watched: !owned };
}

const reload = () => location.reload();

Alpine.data("people", () => ({
  productions: data.productions.map(row),
  mayMake: data.productions.some((p) => p.role === "owner"),
  mayPassword: data.password,
  none: data.productions.length === 0,
  name: "",
  old: "",
  next: "",
  problem: "",
  open(name: string) {
    const p = this as unknown as Page;
    p.problem = "";
    p.$refs[name].showModal();
  },
  close(name: string) {
    (this as unknown as Page).$refs[name].close();
  },
  async make() {
    try {
      await post("/productions", { name: this.name });
      reload();
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async setPassword() {
    try {
      await post("/password", { old: this.old, new: this.next });
      location.assign("/sign-in");
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async rename(p: Row) {
    const name = prompt("What the production is called", p.name);
    if (!name || name === p.name) return;
    try {
      await post(`/productions/${p.id}`, { name });
      reload();
    } catch (e) {
      say(e);
    }
  },
  async set(p: Row, name: string, role: string) {
    try {
      const now = await post<Production>(`/productions/${p.id}/people`, { name, role });
      if (now.role !== p.role) return reload(); // one's own role changed
      this.productions = this.productions.map((x) => (x.id === p.id ? row(now) : x));
    } catch (e) {
      say(e);
      this.productions = this.productions.map((x) => (x.id === p.id ? { ...x, people: [...x.people] } : x));
      throw e;
    }
  },
  async setRole(p: Row, m: MemberRow, el: HTMLSelectElement) {
    try {
      await this.set(p, m.name, el.value);
    } catch {
      el.value = m.role;
    }
  },
  async takeOut(p: Row, m: MemberRow) {
    if (confirm(`Take ${m.shown} out of ${p.name}? What they did stays.`))
      await this.set(p, m.name, "").catch(() => {});
  },
  async add(p: Row, form: HTMLFormElement) {
    const f = new FormData(form);
    try {
      await this.set(p, String(f.get("name")).trim(), String(f.get("role")));
      form.reset();
    } catch {
      /* it was said */
    }
  },
}));

registerToast();
Alpine.start();
