// Where a tablet has a camera and a browser that reads codes, a label is scanned into the field for it. A hand scanner types,
// and needs nothing.
export function scanning() {
  if (!("BarcodeDetector" in window) || !navigator.mediaDevices?.getUserMedia) return;
  document.querySelectorAll("form input[name=code]").forEach((field) => {
    const button = Object.assign(document.createElement("button"), { type: "button", textContent: "Scan" });
    button.dataset.scan = "";
    field.form.append(button);
    button.addEventListener("click", () => scan(field).catch((why) => say(field, `The camera cannot be used (${why.message}). Type the label.`)));
  });
}

function say(field, text) {
  const old = field.form.parentElement.querySelector(".scansay");
  const p = old ?? field.form.insertAdjacentElement("afterend", Object.assign(document.createElement("p"), { className: "small scansay" }));
  p.setAttribute("role", "status");
  p.textContent = text;
}

async function scan(field) {
  const stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
  const box = Object.assign(document.createElement("dialog"), { className: "scanner" });
  const video = Object.assign(document.createElement("video"), { srcObject: stream, muted: true, playsInline: true });
  const away = Object.assign(document.createElement("button"), { type: "button", textContent: "Leave it" });
  box.append(video, away);
  document.body.append(box);
  let open = true;
  const end = () => { open = false; stream.getTracks().forEach((t) => t.stop()); box.remove(); };
  away.addEventListener("click", end);
  box.addEventListener("cancel", end);
  box.showModal();
  await video.play();
  const reader = new BarcodeDetector({ formats: ["qr_code"] });
  while (open) {
    const found = await reader.detect(video).catch(() => []);
    if (found.length && open) {
      end();
      field.value = found[0].rawValue;
      field.form.requestSubmit();
      return;
    }
    await new Promise((next) => setTimeout(next, 150));
  }
}
