// PrimeVue's preset, every value taken from tokens.css.
import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

const v = (name: string) => `var(--hl-${name})`;
const ramp = (names: string[]) =>
  Object.fromEntries([50, 100, 200, 300, 400, 500, 600, 700, 800, 900, 950].map((step, k) => [step, v(names[k]!)]));

export const HandLens = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '3px', lg: '3px', xl: '3px' } },
  semantic: {
    transitionDuration: v('t-quick'),
    focusRing: { width: '2px', style: 'solid', color: v('ink'), offset: '1px', shadow: 'none' },
    primary: ramp([
      'verdigris-wash',
      'verdigris-wash',
      'verdigris-wash',
      'margin-line',
      'verdigris',
      'verdigris',
      'verdigris-text',
      'verdigris-deep',
      'verdigris-deep',
      'verdigris-deep',
      'verdigris-deep',
    ]),
    colorScheme: {
      light: {
        surface: {
          0: v('sheet'),
          ...ramp([
            'sheet',
            'paper',
            'paper-deep',
            'paper-edge',
            'rule-strong',
            'rule-strong',
            'ink-faded',
            'ink-soft',
            'ink',
            'ink',
            'ink',
          ]),
        },
        primary: {
          color: v('verdigris'),
          contrastColor: v('on-verdigris'),
          hoverColor: v('verdigris-deep'),
          activeColor: v('verdigris-deep'),
        },
        text: { color: v('ink'), hoverColor: v('ink'), mutedColor: v('ink-faded'), hoverMutedColor: v('ink-soft') },
        content: { background: v('sheet'), hoverBackground: v('paper'), borderColor: v('rule'), color: v('ink') },
        formField: {
          background: v('sheet'),
          borderColor: v('rule-strong'),
          hoverBorderColor: v('ink-faded'),
          focusBorderColor: v('verdigris'),
          color: v('ink'),
          placeholderColor: v('ink-faded'),
          invalidBorderColor: v('stop-mark'),
        },
        highlight: { background: v('verdigris-wash'), focusBackground: v('verdigris-wash'), color: v('ink'), focusColor: v('ink') },
      },
    },
  },
});
