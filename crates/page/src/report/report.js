const show = (device) => {
  for (const part of document.querySelectorAll('[data-device]')) part.hidden = part.dataset.device !== device;
  for (const finding of document.querySelectorAll('[data-devices]')) {
    finding.hidden = !finding.dataset.devices.split(',').includes(device);
  }
};
for (const choice of document.querySelectorAll('input[name=device]')) {
  choice.addEventListener('change', () => show(choice.value));
  if (choice.checked) show(choice.value);
}
