import { signal } from '@preact/signals';

// Values as the book spells them.

const trimmed = (value: number, digits: number) => String(parseFloat(value.toFixed(digits)));

export function quantity(value: number, unit: string): string {
  switch (unit) {
    case 'dB': return value <= -120 ? 'silent' : `${trimmed(value, 1)} dB`;
    case 'st': return `${trimmed(value, 2)} st`;
    case 's': return Math.abs(value) < 1 ? `${trimmed(value * 1000, 0)} ms` : `${trimmed(value, 2)} s`;
    case 'Hz': return value <= 0 ? 'none' : value >= 1000 ? `${trimmed(value / 1000, 2)} kHz` : `${trimmed(value, 0)} Hz`;
    case 'm': return `${trimmed(value, 1)} m`;
    case 'pan': return Math.abs(value) < 0.005 ? 'centre' : `${trimmed(Math.abs(value) * 100, 0)} % ${value < 0 ? 'left' : 'right'}`;
    default: return trimmed(value, 2);
  }
}

export const range = (low: number, high: number, unit: string) =>
  low === high ? quantity(low, unit) : `${quantity(low, unit)} .. ${quantity(high, unit)}`;

export const seconds = (value: number) => (value < 1 ? `${Math.round(value * 1000)} ms` : `${value.toFixed(1)} s`);

const onLight = ['#24507f', '#d08a1e', '#4fa3a5', '#77355f', '#9fb7d9', '#a8442a', '#8c9a5b', '#4a4f63'];
// The same, lighter: the first and the fourth would drown on dark paper.
const onDark = ['#6f9bd1', '#e0a84a', '#6fc3c5', '#b77aa0', '#b5c8e4', '#d8806a', '#aebd7a', '#8b91a8'];
export const dark = signal(matchMedia('(prefers-color-scheme: dark)').matches);
matchMedia('(prefers-color-scheme: dark)').addEventListener('change', (event) => (dark.value = event.matches));
export const lanes = () => (dark.value ? onDark : onLight);
