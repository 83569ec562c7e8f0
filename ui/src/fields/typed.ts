// What a box shows when what was given in it has been answered, unless more was typed since.
export function answered(box: HTMLInputElement, gave: string, text: string): void {
  if (box.value === gave) box.value = text;
}
