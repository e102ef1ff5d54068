import { chakra, Text } from '@chakra-ui/react';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { preferences, usePreference } from './preferences.js';

interface FoldProps {
  readonly name: string;
  /** What is in it, in a few words. */
  readonly what: string;
  readonly children: React.ReactNode;
}

/** Rows of the panel that are folded away until they are wanted; they stay as they were left. */
export function Fold({ name, what, children }: FoldProps) {
  const open = usePreference(({ folds }) => folds[name] ?? false);
  const setOpen = (to: boolean) => preferences.setState(({ folds }) => ({ folds: { ...folds, [name]: to } }));
  const Icon = open ? ChevronDown : ChevronRight;
  return (
    <>
      <chakra.button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        display="flex"
        alignItems="center"
        gap="1"
        mt="1"
        mx="-1"
        px="1"
        borderRadius="l1"
        cursor="pointer"
        fontWeight="600"
        _hover={{ bg: 'raised' }}
      >
        <Icon size={14} aria-hidden />
        {name}
        <Text as="span" color="quiet" fontWeight="400" fontSize="12px" truncate>
          {what}
        </Text>
      </chakra.button>
      {open && children}
    </>
  );
}
