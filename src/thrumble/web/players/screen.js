// The digits choose who plays; whoever has a PIN types it first.
import { onKey } from "../shared/site.js";

for (const button of document.querySelectorAll("[data-key]")) {
  const secret = button.form?.querySelector("[name=secret]");
  if (button.form && button.dataset.key)
    onKey(button.dataset.key, () => {
      if (secret && !secret.value) secret.focus();
      else button.click();
    });
}
