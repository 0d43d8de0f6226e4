// Frames as wide as a device, scaled into the place that they have.
export function fit(frames) {
  for (const frame of frames) {
    const screen = frame.parentElement;
    const scale = Math.min(1, screen.clientWidth / Number(screen.dataset.screen));
    frame.style.width = `${screen.dataset.screen}px`;
    frame.style.transform = `scale(${scale})`;
    frame.style.height = `${screen.clientHeight / scale}px`;
  }
}
