import type { Locator, Page } from "playwright-core";

/** A person at the editor: real clicks and keys, which are counted. */
export class AtEditor {
  clicks = 0;
  keys = 0;

  constructor(readonly page: Page) {}

  get pane(): Locator {
    return this.page.getByLabel("What is chosen");
  }
  async click(place: Locator): Promise<void> {
    this.clicks++;
    await place.click();
  }
  async type(text: string): Promise<void> {
    this.keys += text.length;
    await this.page.keyboard.type(text);
  }
  async press(...keys: string[]): Promise<void> {
    for (const key of keys) {
      this.keys++;
      await this.page.keyboard.press(key);
    }
  }
  step(name: string): Locator {
    return this.page.getByRole("treeitem", { name: new RegExp(`step ${name}, `) });
  }
  branch(name: string): Locator {
    return this.page.getByRole("treeitem", { name: `branch ${name}` });
  }
  /** Types over what a field holds. */
  async over(text: string): Promise<void> {
    await this.press("Control+a");
    await this.type(text);
    await this.press("Tab");
  }
  async name(text: string): Promise<void> {
    await this.click(this.pane.getByLabel("Name of the step"));
    await this.press("Control+a");
    await this.type(text);
    await this.press("Enter");
    await this.step(text).waitFor();
  }
  /** A field that is there. */
  async code(label: string, text: string): Promise<void> {
    await this.click(this.pane.getByRole("textbox", { name: label, exact: true }));
    await this.over(text);
  }
  /** A field that is added; the focus goes into it. */
  async field(name: string, text: string): Promise<void> {
    await this.click(this.pane.getByRole("button", { name: `+ ${name}`, exact: true }));
    await this.focused(name);
    await this.over(text);
  }
  async focused(name: string): Promise<void> {
    await this.page.locator(`[data-field="${name}"] :focus`).first().waitFor();
  }
  /** Chooses from a list. */
  async choose(label: string, option: string): Promise<void> {
    await this.click(
      this.pane
        .locator("div")
        .filter({ has: this.page.getByRole("combobox", { name: label, exact: true }) })
        .last(),
    );
    await this.click(this.page.getByRole("option", { name: option, exact: true }));
  }
  /** What is written as JSON or YAML. */
  async json(label: string, text: string): Promise<void> {
    await this.click(this.pane.getByRole("textbox", { name: label, exact: true }));
    await this.over(text);
  }
  /** A name with its value, in a mapping such as query. */
  async pair(of: string, name: string, value: string): Promise<void> {
    await this.click(this.pane.getByLabel(`New name in ${of}`));
    await this.type(name);
    await this.press("Enter");
    await this.focused(name);
    await this.type(value);
    await this.press("Tab");
  }
  /** Adds a step: what is typed is a kind, an operation, or a request. */
  async add(at: Locator | "end", text: string): Promise<void> {
    if (at === "end") await this.click(this.page.getByRole("button", { name: /Add a step: a kind/ }));
    else {
      await this.click(at);
      await at.press("Control+Enter");
      this.keys++;
    }
    const box = this.page.getByRole("dialog", { name: "Add a step" });
    await box.locator("textarea:focus").waitFor();
    await this.type(text);
    await this.press("Enter");
    await box.waitFor({ state: "detached" });
  }
  /** Makes a new workflow on its page, and opens it. */
  async begin(name: string, title: string): Promise<void> {
    await this.click(this.page.getByLabel("Title"));
    await this.type(title);
    await this.click(this.page.getByLabel("Name", { exact: true }));
    await this.press("Control+a");
    await this.type(name);
    await this.click(this.page.getByRole("button", { name: "Make the workflow" }));
    await this.page.waitForURL(`**/workflows/${name}`);
    await this.page.getByRole("treeitem", { name: `file ${name}` }).waitFor();
  }
  async saved(): Promise<void> {
    await this.page.keyboard.press("Control+s");
    await this.page.getByText(/· saved/).waitFor();
  }
}
