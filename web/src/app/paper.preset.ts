import { definePreset } from '@primeuix/themes';
import Nora from '@primeuix/themes/nora';

const plum = {
  50: '#f4ecf1',
  100: '#e8d6e2',
  200: '#d2aec6',
  300: '#b984a8',
  400: '#9b598a',
  500: '#6c2a5e',
  600: '#5a2350',
  700: '#481c40',
  800: '#361530',
  900: '#240e20',
  950: '#120710',
};
const paper = {
  0: '#ffffff',
  50: '#fbf8f3',
  100: '#f4efe6',
  200: '#ddd6ca',
  300: '#cfc6b7',
  400: '#b9b0a1',
  500: '#7a7f88',
  600: '#5b6472',
  700: '#414957',
  800: '#2d3441',
  900: '#1e2430',
  950: '#141821',
};

/** Paper, ink and plum: what every PrimeNG control is drawn with. The plum passes AA on paper and on white. */
export const paperPreset = definePreset(Nora, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '2px', md: '2px', lg: '2px', xl: '2px' } },
  semantic: {
    transitionDuration: '100ms',
    primary: plum,
    colorScheme: {
      light: {
        surface: paper,
        primary: { color: '{primary.500}', contrastColor: '#ffffff', hoverColor: '{primary.600}', activeColor: '{primary.700}' },
        highlight: { background: '{primary.50}', focusBackground: '{primary.100}', color: '{primary.500}', focusColor: '{primary.600}' },
      },
    },
  },
});
