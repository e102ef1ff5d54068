import { chakra } from '@chakra-ui/react';

interface SelectProps {
  readonly label: string;
  readonly value: string;
  readonly onChoose: (value: string) => void;
  /** The options. */
  readonly children: React.ReactNode;
}

/** One of many choices, in a list that opens; as high as a row of numbers. */
export const Select = ({ label, value, onChoose, children }: SelectProps) => (
  <chakra.select
    aria-label={label}
    value={value}
    onChange={({ target }) => onChoose(target.value)}
    bg="panel"
    borderWidth="1px"
    borderColor="line"
    borderRadius="l1"
    height="24px"
    flex="1"
    minWidth="0"
  >
    {children}
  </chakra.select>
);
