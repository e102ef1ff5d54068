import { Box, chakra, Text } from '@chakra-ui/react';
import { CircleAlert, ListCollapse, X } from 'lucide-react';
import { useState } from 'react';
import { useStore } from 'zustand';
import { closeNotice, type GivenNotice, holdNotice, notices } from './notify.js';
import { ToolButton } from './ToolButton.js';

/** Notices in the line at the lower edge, the newest on the right, and a list of the last ones that were given. */
export function Notices() {
  const { shown, kept } = useStore(notices);
  const [listed, setListed] = useState(false);
  return (
    <Box
      as="section"
      aria-label="Notices"
      display="flex"
      alignItems="center"
      gap="2"
      minWidth="0"
      onKeyDown={(event) => {
        if (event.key !== 'Escape' || !listed) return;
        event.stopPropagation();
        setListed(false);
      }}
    >
      {shown.map((notice) => (
        <NoticeInLine key={notice.id} notice={notice} />
      ))}
      {kept.length > 0 && (
        <ToolButton
          label={listed ? 'Hide the last notices' : `Show the last notices: ${kept.length}`}
          icon={ListCollapse}
          on={listed}
          onClick={() => setListed(!listed)}
        />
      )}
      {listed && (
        <Box
          as="ul"
          aria-label="The last notices"
          position="fixed"
          right="2"
          bottom="30px"
          width="440px"
          maxHeight="46vh"
          overflowY="auto"
          zIndex="popover"
          listStyleType="none"
          bg="raised"
          borderWidth="1px"
          borderColor="line"
          borderRadius="l2"
          boxShadow="float"
          p="2"
          tabIndex={0}
        >
          {[...kept].reverse().map((notice) => (
            <NoticeInList key={notice.id} notice={notice} />
          ))}
        </Box>
      )}
    </Box>
  );
}

const titleOf = ({ title, times }: GivenNotice): string => (times > 1 ? `${title} (${times} times)` : title);

function NoticeInLine({ notice }: { notice: GivenNotice }) {
  const { id, text, alarm, action } = notice;
  return (
    <Box
      role="status"
      display="flex"
      alignItems="center"
      gap="1.5"
      minWidth="0"
      px="1.5"
      height="24px"
      borderRadius="l1"
      bg="raised"
      borderWidth="1px"
      borderColor={alarm ? 'alarm' : 'line'}
      color="text"
      onPointerEnter={() => holdNotice(id)}
      title={text ? `${titleOf(notice)}: ${text}` : titleOf(notice)}
    >
      {alarm && (
        <Box color="alarm" flex="none">
          <CircleAlert size={13} aria-hidden />
        </Box>
      )}
      <Text truncate>
        <Text as="span" fontWeight="600" color={alarm ? 'alarm' : 'text'}>
          {titleOf(notice)}
        </Text>
        {text && ` · ${text}`}
      </Text>
      {action && <ActionOf notice={notice} />}
      <ToolButton label="Close the notice" icon={X} onClick={() => closeNotice(id)} />
    </Box>
  );
}

function NoticeInList({ notice }: { notice: GivenNotice }) {
  const { at, text, alarm, action } = notice;
  return (
    <Box as="li" py="1.5" px="1" borderBottomWidth="1px" borderColor="line" fontSize="13px" lineHeight="1.4">
      <Box display="flex" gap="2">
        <Text flex="1" fontWeight="600" color={alarm ? 'alarm' : 'text'}>
          {titleOf(notice)}
        </Text>
        <Text color="quiet" fontFamily="mono" fontSize="12px">
          {at.toTimeString().slice(0, 5)}
        </Text>
      </Box>
      {text && <Text>{text}</Text>}
      {action && <ActionOf notice={notice} />}
    </Box>
  );
}

/** The way on that a notice offers. */
const ActionOf = ({ notice: { id, action } }: { notice: GivenNotice }) => (
  <chakra.button
    type="button"
    flex="none"
    px="1.5"
    borderRadius="l1"
    borderWidth="1px"
    borderColor="line"
    color="lamp"
    cursor="pointer"
    whiteSpace="nowrap"
    onClick={() => {
      closeNotice(id);
      action?.run();
    }}
  >
    {action?.label}
  </chakra.button>
);
